<script setup lang="ts">
import { endingDays } from '~~/shared/words'
import { useSession } from '~/stores/session'
import type { WaiverItem } from '~~/shared/api/rules'

const session = useSession()

const { filters, set, clear, any, toggle } = useFilters(['state', 'api', 'rule', 'waiver'] as const)
const { data, refusal, reload } = useLoad(
  () => api.listWaivers(),
  ['waiver', 'finding', 'revision'],
)
const { data: rulebook } = useLoad(() => api.getRulebook(), ['rulebook'])
const items = computed(() => data.value?.items ?? [])
const isEnding = ({ state, days }: WaiverItem) => state === 'approved' && days <= endingDays
const shown = computed(() =>
  items.value.filter(
    (item) =>
      (!filters.value.state ||
        (filters.value.state === 'ending' ? isEnding(item) : item.state === filters.value.state)) &&
      (!filters.value.api || item.api === filters.value.api) &&
      (!filters.value.rule || item.rule === filters.value.rule),
  ),
)
const { selected, current } = useRows(() => shown.value, {
  naming: { key: (row) => String(row.waiver), wanted: () => filters.value.waiver },
})
const titleOf = (rule: string) => rulebook.value?.items.find(({ id }) => id === rule)?.title ?? rule
const whom = ({ title, operation, key }: WaiverItem) =>
  !title
    ? 'every API'
    : operation
      ? `${operation} of ${title}`
      : key
        ? `one place in ${title}`
        : title
const of = (test: (item: WaiverItem) => boolean) => items.value.filter(test).length
const withdrawing = useAct()
async function withdraw() {
  await withdrawing.act(() => api.withdrawWaiver({ waiver: current.value!.waiver }))
  await reload()
}
const days = ({ state, days: left, until }: WaiverItem) =>
  state === 'ended'
    ? `ended ${until}`
    : left === 0
      ? 'ends today'
      : `${until}, in ${count(left, 'day')}`

const chips = computed(() => [
  {
    name: 'state' as const,
    label: 'State',
    options: choicesOf(['waiting', 'approved', 'ending', 'ended', 'refused', 'withdrawn']),
  },
  {
    name: 'api' as const,
    label: 'API',
    options: choicesIn(
      items.value,
      (item) => item.api ?? '',
      (item) => item.title ?? 'every API',
    ),
  },
  {
    name: 'rule' as const,
    label: 'Rule',
    options: choicesIn(
      items.value,
      (item) => item.rule,
      (item) => titleOf(item.rule),
    ),
  },
])
</script>

<template>
  <Leaf>
    <h1>Findings</h1>
    <p class="sentence">
      <button :aria-pressed="filters.state === 'waiting'" @click="toggle('state', 'waiting')">
        {{
          count(
            of(({ state }) => state === 'waiting'),
            'waiver',
          )
        }}
        to decide on</button
      >,
      <button
        class="plum"
        :aria-pressed="filters.state === 'approved'"
        @click="toggle('state', 'approved')"
      >
        {{ of(({ state }) => state === 'approved') }} in force</button
      >, of which
      <button
        class="ochre"
        :aria-pressed="filters.state === 'ending'"
        @click="toggle('state', 'ending')"
      >
        {{ of(isEnding) }} within {{ endingDays }} days of their end</button
      >.
    </p>
    <Leaves :leaves="findingLeaves(session.shell?.counts)" />
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
    <div v-if="data && !shown.length" class="empty">
      <p>
        {{
          any
            ? 'No waiver is found with these filters.'
            : 'Nobody has asked for an exception yet. Choose a finding in the list and ask for one there.'
        }}
      </p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>State</th>
          <th>Rule</th>
          <th>For</th>
          <th>Until</th>
          <th class="right">Findings</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(item, index) in shown"
          :key="item.waiver"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td>
            <span class="level" :class="item.state === 'approved' ? 'waived' : item.state">{{
              item.state
            }}</span>
          </td>
          <td>
            <button class="name" @click="selected = index">{{ titleOf(item.rule) }}</button>
            <div class="soft small">{{ item.reason }}</div>
          </td>
          <td>{{ whom(item) }}</td>
          <td class="nowrap" :class="{ 'ochre-text': isEnding(item) }">{{ days(item) }}</td>
          <td class="right mono">
            <NuxtLink
              :class="item.findings ? 'plain' : 'soft'"
              :to="{
                path: '/findings',
                query: { rule: item.rule, status: 'waived', ...(item.api && { api: item.api }) },
              }"
              >{{ item.findings }}</NuxtLink
            >
          </td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <template v-if="current">
        <h2>{{ titleOf(current.rule) }}</h2>
        <p class="soft">
          <code>{{ current.rule }}</code> for {{ whom(current) }}
        </p>
        <p>{{ current.reason }}</p>
        <p class="soft">
          {{ current.askedBy }} asked, {{ moment(current.askedAt) }}.
          <template v-if="current.decidedBy">{{ current.decidedBy }} decided. </template>
        </p>
        <p v-if="current.note">“{{ current.note }}”</p>
        <Trouble :refusal="withdrawing.refusal.value" />
        <template v-if="current.state === 'waiting'">
          <h3>Decide</h3>
          <p v-if="!current.yours" class="soft">
            Somebody else than who asked decides, in the role governance or reviewer.
          </p>
          <WaiverDecision v-else :key="current.waiver" :waiver="current" :decided="reload" />
        </template>
        <p v-if="['waiting', 'approved'].includes(current.state)">
          <button class="ghost" :disabled="withdrawing.busy.value" @click="withdraw()">
            Take it back
          </button>
          <span v-if="current.findings" class="soft small">
            {{ count(current.findings, 'finding') }} would count again</span
          >
        </p>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.ochre-text {
  color: var(--ochre);
  font-weight: 600;
}
</style>
