<script setup lang="ts">
/** A version's bar: its number and its mark; dashed where only mocks answer or the gateway was not seen. */
const props = defineProps<{ run: Run; stages: string[] }>()
const where = computed(() => props.stages.slice(props.run.from, props.run.to + 1).join(', '))
const says = computed(() => {
  const { version, mark, differences, mocked, unprotected, others } = props.run
  return [
    `${version} in ${where.value}: ${markWords(mark, differences)}`,
    mocked ? 'only mocks answer' : '',
    unprotected ? 'no key is asked for' : '',
    others > 0 ? `${count(others, 'other version')} beside it` : '',
  ]
    .filter(Boolean)
    .join('; ')
})
</script>

<template>
  <div class="run" :class="[run.mark, { mocked: run.mocked }]" :title="says">
    <span
      >{{ run.version }}<em v-if="run.mocked"> mock</em><em v-if="run.unprotected"> open</em
      ><em v-if="run.others"> +{{ run.others }}</em></span
    >
    <b
      ><span class="sr">{{ markWords(run.mark, run.differences) }}</span
      ><span aria-hidden="true">{{ markSign(run.mark, run.differences) }}</span></b
    >
  </div>
</template>

<style scoped>
.run {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 5px;
  height: 26px;
  border-radius: 13px;
  padding: 0 9px;
  font: 12px var(--mono);
  background: var(--elm-wash);
  color: var(--elm-deep);
  border: 1px solid var(--elm-edge);
  white-space: nowrap;
  overflow: hidden;
}
.differs {
  background: var(--copper-wash);
  border-color: var(--copper-edge);
  color: var(--copper);
}
.unseen,
.mocked {
  background: var(--page);
  border: 1px dashed var(--line);
  color: var(--soft);
}
em {
  font-style: normal;
  font-size: 10.5px;
  color: var(--soft);
}
b {
  font-weight: 700;
  font-size: 13px;
}
</style>
