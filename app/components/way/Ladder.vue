<script setup lang="ts">
import { steps, type StepName } from '~~/core/runtime/steps'
import type { WayItem } from '~~/core/runtime/way'

/** The steps a request takes, one under the other, each with what happens there and where that comes from. */
const selected = defineModel<string>('selected')
const props = defineProps<{
  items: WayItem[]
  /** What differs on gateways, by item. */
  differing?: ReadonlyMap<string, number>
  /** Whether gateways have been read, so that nothing differing means in step. */
  seen?: boolean
}>()

interface Row {
  item: WayItem
  key: string
  /** The number of the step, at its first row. */
  number: number | undefined
}

const rows = computed(() => {
  const numbered = new Map<StepName, number>()
  return props.items.map((item): Row => {
    const known = numbered.has(item.step)
    if (!known) numbered.set(item.step, numbered.size + 1)
    return { item, key: wayKey(item), number: known ? undefined : numbered.get(item.step) }
  })
})
const isOuter = ({ from }: WayItem) => from?.kind !== 'placement' && from?.kind !== 'operation'
/** What stands behind the sort of scope: its name, or that it is this one, and whether it is binding. */
function fromText(item: WayItem): string {
  const { from, boundBy } = item
  const name = !isOuter(item)
    ? from?.kind === 'operation'
      ? 'this operation'
      : 'here'
    : from?.name
      ? ` ${from.name}`
      : ''
  return boundBy ? `${name}, binding` : name
}
const sign = (key: string) => {
  const n = props.differing?.get(key) ?? 0
  return n > 0 ? `≠ ${n}` : props.seen ? '=' : props.differing ? '?' : ''
}
</script>

<template>
  <ol class="way">
    <li
      v-for="{ item, key, number } in rows"
      :key="key"
      :class="{ on: key === selected, bad: (differing?.get(key) ?? 0) > 0 }"
    >
      <button type="button" :aria-pressed="key === selected" @click="selected = key">
        <i v-if="number" class="dot" aria-hidden="true">{{ number }}</i><i
          v-else
          class="knot"
          aria-hidden="true"
        />
        <span class="step">{{ number ? steps[item.step].title : '' }}</span>
        <span class="what">
          <span class="title">{{ item.title }}</span>
          <span class="text">{{ item.text }}</span>
          <small v-if="item.note">{{ item.note }}</small>
          <small v-for="one in item.overruled" :key="one.why" class="over"
            >overruled: {{ one.why }}</small
          >
        </span>
        <span class="from"
          ><template v-if="item.from"
            ><b v-if="isOuter(item)">{{ scopeLabel(item.from.kind) }}</b
            >{{ fromText(item) }}</template
          ></span
        >
        <b class="mark">{{ sign(key) }}</b>
      </button>
    </li>
    <li v-if="$slots.default" class="more"><slot /></li>
  </ol>
</template>

<style scoped>
.way {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  position: relative;
}
.way::before {
  content: '';
  position: absolute;
  left: 13px;
  top: 22px;
  bottom: 22px;
  border-left: 2px solid var(--rule);
}
li {
  border-bottom: 1px solid var(--rule);
}
li button {
  display: grid;
  grid-template-columns: 28px 98px minmax(0, 1fr) 126px 40px;
  gap: 10px;
  align-items: center;
  min-height: 45px;
  width: 100%;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  padding: 5px 4px 5px 0;
  cursor: pointer;
}
li.on {
  background: var(--faint);
}
i {
  font-style: normal;
  position: relative;
  z-index: 1;
  margin-left: 2px;
}
.dot {
  width: 23px;
  height: 23px;
  border-radius: 50%;
  border: 2px solid var(--elm);
  background: var(--page);
  color: var(--elm);
  font: 600 11px var(--mono);
  display: grid;
  place-items: center;
}
.knot {
  width: 9px;
  height: 9px;
  border-radius: 50%;
  border: 2px solid var(--elm);
  background: var(--page);
  margin-left: 9px;
}
.bad .dot,
.bad .knot {
  border-color: var(--copper);
  color: var(--copper);
}
.step {
  font-weight: 620;
}
.what {
  min-width: 0;
  overflow-wrap: anywhere;
}
.title {
  color: var(--soft);
  font-size: 11.5px;
  margin-right: 7px;
}
.what small {
  display: block;
  color: var(--soft);
  font-size: 11.5px;
}
.what .over {
  color: var(--copper);
}
.from {
  font-size: 11.5px;
  color: var(--soft);
}
.from b {
  color: var(--slate);
  font-weight: 550;
}
.mark {
  font: 700 12px var(--mono);
  text-align: right;
  color: var(--elm);
}
.bad .mark {
  color: var(--copper);
}
.more {
  padding: 9px 0 9px 38px;
  color: var(--soft);
}
@container (max-width: 620px) {
  li button {
    grid-template-columns: 28px minmax(0, 1fr) 40px;
  }
  .step,
  .from {
    grid-column: 2;
  }
}
</style>
