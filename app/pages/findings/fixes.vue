<script setup lang="ts">
import type { ApiDetail } from '~~/shared/api/catalog'
import type { ProposalItem, ProposedText } from '~~/shared/api/proposals'
import { proposalStates } from '~~/shared/words'
import { useSession } from '~/stores/session'

/** Fixes that somebody proposed for APIs of others: what each would change, for its owner to accept or decline. */
const { filters, set, toggle, clear, any } = useFilters([
  'api',
  'team',
  'rule',
  'state',
  'fix',
] as const)
const session = useSession()
const { data, refusal, reload } = useLoad(
  () => api.listProposals(),
  ['proposal', 'fix', 'revision'],
)
const { data: rulebook } = useLoad(() => api.getRulebook(), ['rulebook'])
const items = computed(() => data.value?.items ?? [])
const shown = computed(() =>
  items.value.filter(
    (item) =>
      (!filters.value.api || item.api === filters.value.api) &&
      (!filters.value.team || item.team === filters.value.team) &&
      (!filters.value.rule || item.rule === filters.value.rule) &&
      (!filters.value.state || item.state === filters.value.state),
  ),
)
const { selected, current } = useRows(() => shown.value, {
  naming: { key: (row) => String(row.proposal), wanted: () => filters.value.fix },
})
const of = (state: ProposalItem['state']) =>
  items.value.filter((item) => item.state === state).length
const titleOf = (rule: string) => rulebook.value?.items.find(({ id }) => id === rule)?.title ?? rule

const texts = shallowRef<ProposedText[]>()
const detail = shallowRef<ApiDetail>()
const looking = useAct()
async function look(item: ProposalItem | undefined) {
  texts.value = undefined
  if (item?.state !== 'waiting') return
  await looking.act(async () => {
    const [page, found] = await Promise.all([
      api.listProposedTexts({ proposal: item.proposal }),
      api.getApi({ api: item.api }),
    ])
    if (current.value?.proposal !== item.proposal) return
    texts.value = page.items
    detail.value = found
    version.value = found.versions.includes(found.latest.version) ? next(found.latest.version) : ''
  })
}
watch(
  () => `${current.value?.proposal} ${current.value?.state}`,
  () => void look(current.value),
  { immediate: true },
)

/** A placed version's text is fixed; a fixed text is the next patch of it unless its owner says otherwise. */
const version = ref('')
const next = (now: string) => now.replace(/\d+(?!.*\d)/, (last) => String(Number(last) + 1))
const answer = ref('')
const deciding = useAct()
const done = ref('')
async function decide(accept: boolean) {
  const item = current.value!
  const outcome = await deciding.act(() =>
    api.acceptProposal(
      { proposal: item.proposal },
      {
        accept,
        ...(accept && version.value && { version: version.value }),
        ...(answer.value.trim() && { note: answer.value.trim() }),
      },
    ),
  )
  if (outcome) {
    done.value =
      outcome.revision === undefined
        ? `Declined for ${item.title}.`
        : `${item.title} has revision ${outcome.revision} now, with ${count(item.places, 'place')} fixed.`
    answer.value = ''
  }
  await reload()
}
async function withdraw() {
  await deciding.act(() => api.withdrawProposal({ proposal: current.value!.proposal }))
  await reload()
}
const words: Record<ProposalItem['state'], string> = {
  planning: 'being worked out',
  waiting: 'waits',
  accepted: 'accepted',
  declined: 'declined',
  withdrawn: 'taken back',
  nothing: 'nothing to fix',
}

const chips = computed(() => [
  {
    name: 'state' as const,
    label: 'State',
    options: proposalStates.map((value) => ({ value, label: words[value] })),
  },
  { name: 'team' as const, label: 'Team', options: choicesOf(session.shell?.teams ?? []) },
  {
    name: 'api' as const,
    label: 'API',
    options: choicesIn(
      items.value,
      (item) => item.api,
      (item) => item.title,
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
        {{ count(of('waiting'), 'proposed fix', 'proposed fixes') }} to decide on</button
      ><template v-if="of('planning')">, {{ of('planning') }} being worked out</template>,
      <button :aria-pressed="filters.state === 'accepted'" @click="toggle('state', 'accepted')">
        {{ of('accepted') }} accepted</button
      >.
    </p>
    <Leaves :leaves="findingLeaves(session.shell?.counts)" />
    <Trouble :refusal="refusal" />
    <p v-if="done" class="good" role="status">{{ done }}</p>
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
    <div v-if="data && !shown.length" class="empty">
      <p>
        <template v-if="any">No proposed fix is found with these filters.</template>
        <template v-else
          >Nobody has proposed a fix yet. In the <NuxtLink to="/rulebook">rulebook</NuxtLink>, a
          rule with a fix offers it to every API that breaks the rule.</template
        >
      </p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>State</th>
          <th>Fix</th>
          <th>API</th>
          <th>Team</th>
          <th class="right">Places</th>
          <th>Proposed</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(item, index) in shown"
          :key="item.proposal"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td class="nowrap">
            <span class="level" :class="item.state">{{ words[item.state] }}</span>
          </td>
          <td>
            <button class="name" @click="selected = index">{{ item.does }}</button>
            <div class="soft small">{{ titleOf(item.rule) }}</div>
          </td>
          <td>
            <NuxtLink :to="`/apis/${item.api}/source`">{{ item.title }}</NuxtLink>
          </td>
          <td>{{ item.team }}</td>
          <td class="right mono">
            <NuxtLink
              :class="item.places ? 'plain' : 'soft'"
              :to="{ path: '/findings', query: { rule: item.rule, api: item.api } }"
              >{{ item.places }}</NuxtLink
            >
          </td>
          <td class="soft nowrap">{{ item.by }}, {{ ago(item.at) }}</td>
        </tr>
      </tbody>
    </table>
    <section v-if="texts?.length" class="change" aria-label="What it would change">
      <h2>{{ current!.title }}</h2>
      <TextChanges :texts="texts!" />
    </section>
    <template #margin>
      <template v-if="current">
        <h2>{{ current.does }}</h2>
        <p class="soft">
          <code>{{ current.rule }}</code> in {{ current.title }}
        </p>
        <p v-if="current.note">“{{ current.note }}”</p>
        <p class="soft">{{ current.by }} proposed it, {{ moment(current.at) }}.</p>
        <p v-if="current.decidedBy" class="soft">
          {{ current.decidedBy }}: {{ words[current.state]
          }}<template v-if="current.revision"> as revision {{ current.revision }}</template
          >.
        </p>
        <p v-if="current.answer">“{{ current.answer }}”</p>
        <p v-if="current.trouble" class="trouble">{{ current.trouble }}</p>
        <Trouble :refusal="looking.refusal.value ?? deciding.refusal.value" />
        <template v-if="current.state === 'waiting'">
          <h3>Decide</h3>
          <p v-if="texts && !texts.length">
            The newest revision has nothing left that this would fix.
          </p>
          <template v-if="version">
            <p class="soft">
              {{ detail?.latest.version }} is placed, so its text is fixed. The fixed text names the
              version
            </p>
            <label class="field"
              ><span class="sr">Version of the fixed text</span><InputText v-model="version"
            /></label>
          </template>
          <label class="field"
            ><span>What to say with it</span><Textarea v-model="answer" rows="2"
          /></label>
          <div class="bar">
            <button
              class="fill"
              :disabled="deciding.busy.value || !texts?.length"
              @click="decide(true)"
            >
              Make it the next revision
            </button>
            <button
              class="ghost"
              :disabled="deciding.busy.value || !answer.trim()"
              :title="answer.trim() ? '' : 'Say why first'"
              @click="decide(false)"
            >
              Decline
            </button>
          </div>
          <p>
            <button class="ghost" :disabled="deciding.busy.value" @click="withdraw()">
              Take it back
            </button>
          </p>
        </template>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.change {
  margin-top: 18px;
}
.change h2 {
  margin-bottom: 8px;
}
</style>
