<script setup lang="ts">
import {
  addMonths,
  differenceInCalendarDays,
  eachMonthOfInterval,
  format,
  max,
  min,
  parseISO,
  startOfMonth,
} from 'date-fns'
import { callerName } from '~~/core/pipeline/affected'
import type { EndingItem } from '~~/shared/api/endings'
import { endingDays } from '~~/shared/words'

/** The calendar of what ends: when, and who still calls it. */
const { filters, set, clear, any, toggle } = useFilters([
  'team',
  'as',
  'stage',
  'only',
  'ending',
] as const)
const { data, refusal } = useLoad(
  () => api.listEndings({ limit: 1000 }),
  ['placement', 'api', 'announcement', 'traffic'],
)
const items = computed(() => data.value?.items ?? [])
const keyOf = ({ api: slug, placement }: EndingItem) => placement ?? slug
const isUntold = ({ callers }: EndingItem) => callers.some(({ told }) => !told)
const tests = {
  soon: ({ until }: EndingItem) => daysUntil(until) <= endingDays && daysUntil(until) >= 0,
  over: ({ until }: EndingItem) => daysUntil(until) < 0,
  called: ({ calls }: EndingItem) => calls > 0,
  untold: isUntold,
}
type Test = keyof typeof tests
const shown = computed(() =>
  items.value.filter(
    (item) =>
      (!filters.value.team || item.team === filters.value.team) &&
      (!filters.value.as || item.as === filters.value.as) &&
      (!filters.value.stage || item.stage === filters.value.stage) &&
      (!filters.value.only || tests[filters.value.only as Test](item)),
  ),
)
const { selected, current } = useRows(() => shown.value, {
  open: (row) => navigateTo(placeOf(row)),
  naming: { key: keyOf, wanted: () => filters.value.ending },
})
const of = (test: Test) => items.value.filter(tests[test]).length
const placeOf = ({ api: slug, placement }: EndingItem) =>
  placement ? { path: `/placements/${placement}`, query: { view: 'callers' } } : `/apis/${slug}`
const titleOf = ({ title, version, stage }: EndingItem) =>
  version ? `${title} ${version} in ${stage}` : title

/** From the month before this one to the last end, at least a year. */
const begin = startOfMonth(addMonths(new Date(), -1))
const months = computed(() => {
  const last = items.value.at(-1)?.until
  const most = addMonths(begin, last === undefined ? 11 : 35)
  const end = last === undefined ? most : min([max([parseISO(last), addMonths(begin, 11)]), most])
  return eachMonthOfInterval({ start: begin, end })
})
const width = computed(() => differenceInCalendarDays(addMonths(months.value.at(-1)!, 1), begin))
const at = (day: string | Date) => {
  const days = differenceInCalendarDays(typeof day === 'string' ? parseISO(day) : day, begin)
  return Math.min(100, Math.max(0, (100 * days) / width.value))
}
const bar = ({ since, until }: EndingItem) => {
  const from = since === '' ? 0 : at(since)
  return { left: `${from}%`, width: `${Math.max(0.6, at(until) - from)}%` }
}
/** So many labels have room. */
const marked = computed(() => {
  const every = Math.ceil(months.value.length / 6)
  return months.value.filter((_, index) => index % every === 0)
})
const chips = computed(() => [
  {
    name: 'team' as const,
    label: 'Team',
    options: choicesIn(
      items.value,
      ({ team }) => team,
      ({ team }) => team,
    ),
  },
  {
    name: 'stage' as const,
    label: 'Stage',
    options: choicesIn(
      items.value.filter(({ stage }) => stage),
      ({ stage }) => stage!,
      ({ stage }) => stage!,
    ),
  },
  { name: 'as' as const, label: 'How', options: choicesOf(['deprecated', 'retired']) },
  {
    name: 'only' as const,
    label: 'Only',
    options: [
      { value: 'called', label: 'still called' },
      { value: 'untold', label: 'with callers who were not told' },
      { value: 'soon', label: `within ${endingDays} days` },
      { value: 'over', label: 'past their day' },
    ],
  },
])
</script>

<template>
  <Leaf>
    <h1>Promotions and changes</h1>
    <p v-if="data" class="sentence">
      {{ spelled(items.length) }} {{ items.length === 1 ? 'thing ends' : 'things end'
      }}<template v-if="items.length"
        >,
        <button
          class="ochre"
          :aria-pressed="filters.only === 'soon'"
          @click="toggle('only', 'soon')"
        >
          {{ of('soon') }} within {{ endingDays }} days</button
        ><template v-if="of('over')"
          >,
          <button
            class="copper"
            :aria-pressed="filters.only === 'over'"
            @click="toggle('only', 'over')"
          >
            {{ of('over') }} past {{ of('over') === 1 ? 'its' : 'their' }} day and served still
          </button></template
        >;
        <button :aria-pressed="filters.only === 'called'" @click="toggle('only', 'called')">
          {{ of('called') }} still called</button
        >,
        <button
          class="copper"
          :aria-pressed="filters.only === 'untold'"
          @click="toggle('only', 'untold')"
        >
          {{ of('untold') }} by somebody who was not told
        </button></template
      >.
    </p>
    <Leaves :leaves="promotionLeaves" />
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
    <div v-if="data && !shown.length" class="empty">
      <p>
        {{
          any
            ? 'Nothing ends with these filters.'
            : 'No end is announced. A pipeline says what becomes of the version before a promoted one; a placement says how it ends under Callers and end.'
        }}
      </p>
    </div>
    <table v-else-if="data" class="ruled">
      <thead>
        <tr>
          <th>Until</th>
          <th>What ends</th>
          <th class="calendar">
            <div class="months">
              <span
                v-for="month in marked"
                :key="month.getTime()"
                :style="{ left: `${at(month)}%` }"
                >{{ format(month, 'MMM yy') }}</span
              >
            </div>
          </th>
          <th class="right">Calls, 7 days</th>
          <th class="right">Callers</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(item, index) in shown"
          :key="keyOf(item)"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td class="nowrap">
            {{ item.until }}
            <div class="small" :class="daysUntil(item.until) < 0 ? 'copper-text' : 'soft'">
              {{ dueWords(item.until) }}
            </div>
          </td>
          <td>
            <button class="name" @click="selected = index">{{ titleOf(item) }}</button>
            <div class="soft small">
              {{ item.as === 'retired' ? 'retired: taken off on its day' : 'deprecated' }},
              {{ item.team }}
            </div>
          </td>
          <td class="calendar">
            <div class="span">
              <i class="today" :style="{ left: `${at(new Date())}%` }" title="Today" />
              <b
                :class="item.as"
                :style="bar(item)"
                :title="`${item.since || 'unknown since when'} to ${item.until}`"
              />
            </div>
          </td>
          <td class="right mono">
            <NuxtLink
              :class="item.calls ? 'plain' : 'soft'"
              :to="{
                path: '/traffic',
                query: {
                  period: '7d',
                  ...(item.placement ? { placement: item.placement } : { api: item.api }),
                },
              }"
              >{{ figure(item.calls) }}</NuxtLink
            >
          </td>
          <td class="right mono" :class="{ 'copper-text': isUntold(item) }">
            {{ item.callers.length }}
          </td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <template v-if="current">
        <h2>
          <NuxtLink :to="placeOf(current)">{{ titleOf(current) }}</NuxtLink>
        </h2>
        <p>
          {{ current.as === 'retired' ? 'Retired' : 'Deprecated'
          }}{{ current.since ? ` since ${current.since}` : '' }}, served until
          <b>{{ current.until }}</b>.
        </p>
        <h3>
          Who still calls it <small>{{ current.callers.length }}</small>
        </h3>
        <p v-if="!current.callers.length" class="soft">Nobody called it in seven days.</p>
        <table v-else class="ruled">
          <tbody>
            <tr v-for="caller in current.callers.slice(0, 12)" :key="caller.client">
              <td>{{ callerName(caller.client) }}</td>
              <td class="right mono">{{ figure(caller.calls) }}</td>
              <td :class="caller.told ? 'soft' : 'copper-text'">
                {{ caller.told ? 'told' : 'not told' }}
              </td>
            </tr>
          </tbody>
        </table>
        <p>
          <NuxtLink class="ghost" :to="placeOf(current)">{{
            current.placement ? 'Tell them, or change the end' : 'Change the end'
          }}</NuxtLink>
        </p>
      </template>
      <p v-else class="soft">What ends, and who still calls it, is shown here.</p>
    </template>
  </Leaf>
</template>

<style scoped>
.calendar {
  width: 38%;
  min-width: 160px;
}
.months,
.span {
  position: relative;
  height: 18px;
}
.months span {
  position: absolute;
  white-space: nowrap;
  font-weight: normal;
  font-size: 11px;
  border-left: 1px solid var(--rule);
  padding-left: 3px;
  min-height: 18px;
}
.span b {
  position: absolute;
  top: 5px;
  height: 8px;
  border-radius: 2px;
  background: var(--ochre-edge);
}
.span b.retired {
  background: var(--copper);
}
.span .today {
  position: absolute;
  top: -8px;
  bottom: -8px;
  border-left: 1px dashed var(--elm);
}
</style>
