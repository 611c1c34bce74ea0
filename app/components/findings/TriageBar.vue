<script setup lang="ts">
import type { FindingItem } from '~~/shared/api/rules'
import { useSession } from '~/stores/session'

/** What can be done with findings that were chosen: given to somebody, commented on, waived, accepted. */
const props = defineProps<{ findings: readonly FindingItem[] }>()
const emit = defineEmits<{
  /** What was done, in words. */
  done: [says: string]
  waive: []
  none: []
}>()

const session = useSession()
const people = computed(() => session.shell?.people ?? [])
const comment = ref('')
const triage = useAct()

type Change = { person: string } | { comment: string } | { accept: boolean }
async function apply(change: Change) {
  const findings = props.findings.map(({ api: slug, key }) => ({ api: slug, key }))
  const result = await triage.act(() => api.updateFindings({}, { findings, ...change }))
  if (!result) return
  comment.value = ''
  emit('done', `${count(result.findings, 'finding')} ${wordsFor(change)}.`)
}
const give = (person: string) => apply({ person: person === '-' ? '' : person })
function wordsFor(change: Change): string {
  if ('comment' in change) return 'commented on'
  if ('accept' in change) return change.accept ? 'accepted as they are' : 'open again'
  return change.person ? `given to ${session.nameOf(change.person)}` : 'given to nobody'
}
</script>

<template>
  <div class="bar acts" role="group" aria-label="What to do with them">
    <b>{{ count(findings.length, 'finding') }}</b>
    <label
      >Give to
      <select :value="''" @change="give(textOf($event))">
        <option value="" disabled>somebody …</option>
        <option value="-">nobody</option>
        <option v-for="person in people" :key="person.name" :value="person.name">
          {{ person.displayName }}
        </option>
      </select></label
    >
    <input
      v-model="comment"
      class="p-inputtext comment"
      placeholder="Comment on each"
      aria-label="Comment on each"
      @keydown.enter="comment.trim() && apply({ comment: comment.trim() })"
    />
    <button class="ghost" :disabled="!comment.trim()" @click="apply({ comment: comment.trim() })">
      Comment
    </button>
    <button class="ghost" @click="emit('waive')">Ask for a waiver</button>
    <button
      v-if="findings.some(({ status: now }) => now === 'accepted')"
      class="ghost"
      @click="apply({ accept: false })"
    >
      Open again
    </button>
    <button v-else class="ghost" @click="apply({ accept: true })">Accept as they are</button>
    <button class="plain" @click="emit('none')">Choose none</button>
  </div>
  <Trouble :refusal="triage.refusal.value" />
</template>

<style scoped>
.acts {
  background: var(--faint);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 10px;
  position: sticky;
  top: -18px;
  z-index: 2;
}
.comment {
  width: 180px;
}
</style>
