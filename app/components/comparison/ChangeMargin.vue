<script setup lang="ts">
import type {
  Caller,
  ComparisonChange,
  ComparisonChangeDetail,
  ComparisonItem,
  SideShown,
  TextWindow,
} from '~~/shared/api/comparisons'

/** One change beside the list: both texts at its place, what shows it, who is touched, and the ways out. */
const props = defineProps<{ item: ComparisonItem; change: ComparisonChange }>()

const detail = shallowRef<ComparisonChangeDetail>()
const { refusal, act } = useLatest()
watch(
  () => [props.item.comparison, props.change.change] as const,
  ([comparison, change]) => {
    detail.value = undefined
    void act(
      () => api.getComparisonChange({ comparison, change }),
      (found) => (detail.value = found),
    )
  },
  { immediate: true },
)

const endingOf = (file: string) => file.slice(file.lastIndexOf('.') + 1)
/** Texts of one syntax are shown as one; others one below the other. */
const together = computed(() => {
  const { textBefore: old, textAfter: now } = detail.value ?? {}
  return old && now && endingOf(old.file) === endingOf(now.file)
    ? comparedLines(old, now)
    : undefined
})
const sides = computed(() => {
  const { textBefore, textAfter } = detail.value ?? {}
  return [
    { side: props.item.before, window: textBefore },
    { side: props.item.after, window: textAfter },
  ].filter((one): one is { side: SideShown; window: TextWindow } => one.window !== undefined)
})
const named = ({ version, title }: SideShown) => version || title
const sourceOf = (side: SideShown, { file, line }: TextWindow) =>
  side.api && {
    path: `/apis/${side.api}/source`,
    query: { revision: side.revision, file, line },
  }
const words = {
  breaking: 'What worked before does not any more.',
  risky: 'Whether it breaks somebody cannot be said for sure.',
  safe: 'Nobody’s program notices.',
}
/** Callers by the placement they come through. */
const placements = computed(() => {
  const by = new Map<string, Caller[]>()
  for (const caller of detail.value?.callers ?? [])
    by.set(caller.placement, [...(by.get(caller.placement) ?? []), caller])
  return [...by]
})
</script>

<template>
  <h2>{{ change.message }}</h2>
  <p class="soft">
    <span class="effect" :class="change.effect">{{ change.effect }}</span>
    {{ words[change.effect] }}
  </p>
  <Trouble :refusal="refusal" />
  <template v-if="detail">
    <p v-if="detail.undecided">It could not be decided, because {{ detail.undecided }}.</p>
    <template v-if="sides.length">
      <h3>In the text</h3>
      <p class="places">
        <template v-for="{ side, window } in sides" :key="named(side)">
          <NuxtLink v-if="side.api" class="plain" :to="sourceOf(side, window)"
            >{{ named(side) }}, line {{ window.line }}</NuxtLink
          >
          <span v-else>{{ named(side) }}, line {{ window.line }}</span>
        </template>
      </p>
      <pre v-if="together" class="text" tabindex="0"><span
        v-for="(line, i) in together"
        :key="i"
        :class="{ gone: line.sign === '-', come: line.sign === '+' }"
        >{{ line.sign }} {{ line.text }}</span></pre>
      <template v-else>
        <pre
          v-for="{ side, window } in sides"
          :key="named(side)"
          class="text"
          tabindex="0"
          :aria-label="named(side)"
        ><span v-for="(line, i) in linesAround(window)" :key="i" :class="{ at: line.isPlace }">{{ line.text }}</span></pre>
      </template>
    </template>
    <template v-if="detail.witness">
      <h3>
        {{
          'request' in detail.witness
            ? `A request that ${named(item.before)} took`
            : `A response that ${named(item.after)} may give`
        }}
      </h3>
      <pre class="text" tabindex="0">{{
        JSON.stringify(
          'request' in detail.witness ? detail.witness.request : detail.witness.response,
          null,
          1,
        )
      }}</pre>
    </template>
    <template v-if="change.effect !== 'safe'">
      <h3>
        Who reaches it now <small>{{ named(item.before) }}</small>
      </h3>
      <p v-if="!detail.callers.length" class="soft">
        {{
          item.before.stages.length
            ? 'No placement of this version routes it to anybody with a key.'
            : 'This version is placed nowhere, so nobody does.'
        }}
      </p>
      <div v-for="[placement, callers] in placements" :key="placement" class="callers">
        <div v-for="{ client, stage } in callers" :key="client">
          <b>{{ client || 'Anybody, without a key' }}</b>
          <NuxtLink
            class="plain"
            :to="{ path: `/apis/${item.before.api}/placements`, query: { placed: placement } }"
            >{{ stage }}</NuxtLink
          >
        </div>
      </div>
    </template>
    <template v-if="detail.ways.length || change.effect === 'breaking'">
      <h3>Ways out</h3>
      <ul class="ways">
        <li v-for="way in detail.ways" :key="way">{{ way }}</li>
        <li v-if="change.effect === 'breaking'">
          Keep {{ named(item.before) }} beside {{ named(item.after) }} until its clients have moved
        </li>
      </ul>
    </template>
  </template>
</template>

<style scoped>
h2 {
  overflow-wrap: anywhere;
}
.places {
  display: flex;
  justify-content: space-between;
  margin: 4px 0;
}
.text {
  font: 11.5px/1.6 var(--mono);
  background: var(--page);
  border: 1px solid var(--rule);
  border-radius: 5px;
  padding: 6px 8px;
  margin: 4px 0 12px;
  overflow: auto;
  max-height: 260px;
}
.text span {
  display: block;
  min-width: max-content;
}
.gone {
  background: var(--copper-wash);
  color: var(--copper);
}
.come {
  background: var(--elm-wash);
  color: var(--elm-deep);
}
.at {
  background: var(--faint);
}
.callers div {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  padding: 4px 0;
  border-bottom: 1px dotted var(--rule);
}
.ways {
  list-style: none;
  margin: 0;
  padding: 0;
}
.ways li {
  padding: 5px 0;
  border-bottom: 1px dotted var(--rule);
}
</style>
