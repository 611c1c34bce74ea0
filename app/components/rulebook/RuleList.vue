<script setup lang="ts">
import type { Rule, RuleGroup } from '~~/core/rules/model'

/** The rules of a rulebook by group, with a mark beside those that need work. */
const props = defineProps<{
  groups: readonly RuleGroup[]
  rules: readonly Rule[]
  current: string | undefined
  /** What is wrong with a rule: that it cannot be applied, or how many of its samples are not as they should be. */
  trouble: (id: string) => { mark: string; says: string } | undefined
}>()
const emit = defineEmits<{ open: [id: string] }>()

const words = ref('')
const listed = computed(() => {
  const wanted = words.value.toLowerCase()
  return props.groups
    .map((group) => ({
      ...group,
      rules: props.rules.filter(
        (rule) =>
          rule.group === group.id && `${rule.id} ${rule.title}`.toLowerCase().includes(wanted),
      ),
    }))
    .filter(({ rules }) => rules.length > 0)
})
const list = ref<HTMLElement>()
watch(
  () => props.current,
  () => nextTick(() => list.value?.querySelector('.on')?.scrollIntoView({ block: 'nearest' })),
)
</script>

<template>
  <div class="side">
    <input
      v-model="words"
      class="p-inputtext narrow"
      type="search"
      placeholder="Filter rules"
      aria-label="Filter rules"
    />
    <div ref="list" class="list">
      <template v-for="group in listed" :key="group.id">
        <h6>{{ group.title }}</h6>
        <button
          v-for="rule in group.rules"
          :key="rule.id"
          :class="{ on: rule.id === current }"
          :title="rule.title"
          @click="emit('open', rule.id)"
        >
          <i class="level" :class="rule.level">{{ rule.level }}</i>
          <span>{{ rule.title }}</span>
          <b v-if="trouble(rule.id)" :title="trouble(rule.id)!.says">{{
            trouble(rule.id)!.mark
          }}</b>
        </button>
      </template>
      <p v-if="!listed.length" class="soft none">
        {{ words ? 'No rule has these words.' : 'No rules yet.' }}
      </p>
    </div>
    <slot />
  </div>
</template>

<style scoped>
.side {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-right: 1px solid var(--rule);
  padding: 10px 8px 10px 0;
}
.narrow {
  height: 28px;
}
.list {
  overflow: auto;
  flex: 1;
  min-height: 0;
}
.list h6 {
  margin: 10px 4px 3px;
  font: 600 11px var(--body);
  color: var(--soft);
}
.list button {
  min-height: 25px;
  display: flex;
  width: 100%;
  gap: 6px;
  border: 0;
  background: none;
  padding: 3px 4px;
  border-radius: 4px;
  cursor: pointer;
  text-align: left;
  font-size: 12px;
  align-items: baseline;
}
.list button.on {
  background: var(--elm-wash);
}
.list i {
  font-style: normal;
  font-size: 9px;
  min-width: 46px;
  text-align: center;
}
.list span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.list b {
  margin-left: auto;
  color: var(--copper);
  font: 700 11px var(--mono);
}
.none {
  padding: 8px 4px;
}
</style>
