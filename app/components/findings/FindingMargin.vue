<script setup lang="ts">
import type { CommentItem, FindingItem, Rulebook } from '~~/shared/api/rules'

/** One finding beside the list: the rule and its reason, the place, what was said about it. */
const props = defineProps<{ finding: FindingItem; rulebook: Rulebook | undefined; to: object }>()
const emit = defineEmits<{ waive: []; rule: [id: string] }>()

const rule = computed(() => props.rulebook?.items.find(({ id }) => id === props.finding.rule))
const comments = ref<CommentItem[]>([])
watch(
  () => props.finding,
  async (about) => {
    comments.value = []
    if (!about.comments) return
    const page = await api
      .searchComments({}, { api: about.api, key: about.key })
      .catch(() => ({ items: [] }))
    if (props.finding === about) comments.value = page.items
  },
  { immediate: true },
)
</script>

<template>
  <h2>{{ rule?.title ?? 'Keep to the specification of the format' }}</h2>
  <p class="soft">
    <span class="level" :class="finding.level">{{ finding.level }}</span>
    <code>{{ finding.rule }}</code>
  </p>
  <p>{{ rule?.reason }}</p>
  <p v-if="rule?.remedy">{{ rule.remedy }}</p>
  <p v-if="finding.becomes" class="soft">
    It advises until {{ finding.since }}; then it is {{ finding.becomes }}.
  </p>
  <p v-else-if="finding.since" class="soft">It binds since {{ finding.since }}.</p>
  <h3>Where</h3>
  <p>
    <code class="at">{{ finding.at || '/' }}</code><br />{{ finding.title }}, line
    {{ finding.line }}, column {{ finding.column }}; first seen {{ ago(finding.firstSeen) }}
  </p>
  <div class="bar">
    <NuxtLink class="ghost" :to="to">Go to the line</NuxtLink>
    <button class="ghost" @click="emit('waive')">Ask for a waiver</button>
    <button class="ghost" @click="emit('rule', finding.rule)">Everything of this rule</button>
  </div>
  <h3>
    Comments <small>{{ comments.length }}</small>
  </h3>
  <p v-if="!comments.length" class="soft">Nothing yet.</p>
  <div v-for="comment in comments" :key="comment.at + comment.text" class="comment-of">
    <b>{{ comment.by }}</b> <span class="soft">{{ moment(comment.at) }}</span><br />{{
      comment.text
    }}
  </div>
</template>

<style scoped>
.at {
  overflow-wrap: anywhere;
}
.comment-of {
  padding: 5px 0;
  border-bottom: 1px dotted var(--rule);
  overflow-wrap: anywhere;
}
</style>
