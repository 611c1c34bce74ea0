<script setup lang="ts">
import { checkEvidence, saidIn, type EvidencePackage } from '~~/core/ledger/evidence'
import type { EvidenceItem } from '~~/shared/api/evidence'
import type { LedgerEntry } from '~~/shared/api/ledger'
import type { GateItem, PlacementPlan } from '~~/shared/api/promotions'
import type { RolloutStepItem } from '~~/shared/api/rollouts'
import { useSession } from '~/stores/session'

type ProbeSaid = NonNullable<NonNullable<EvidencePackage['act']>['probes']>[number]

/** A package of evidence to be read or printed, with what of it was checked here. */
const props = defineProps<{
  evidence: EvidenceItem
  title: string
  /** Where it came from, and what a download of it is called. */
  source: string
  file: string
}>()
const session = useSession()
const act = computed(() => props.evidence.act)
const entries = computed(() => props.evidence.entries.map(({ entry }) => entry))
/** All but the signature, which only the key shows that somebody kept. */
const checks = computed(() => checkEvidence(props.evidence as EvidencePackage, () => true).slice(1))
const wrong = computed(() => checks.value.filter(({ trouble }) => trouble))
const words = (entry: LedgerEntry) => {
  const { note, reason, why, gate, version } = saidIn(entry)
  return [gate, reason ?? note ?? why, !note && !reason && !why && !gate ? version : undefined]
    .filter((one) => typeof one === 'string' && one !== '')
    .join(': ')
}
const steps = computed(() =>
  entries.value.flatMap((entry) => (saidIn(entry)['steps'] as RolloutStepItem[] | undefined) ?? []),
)
/** Of what was known at the act, and of the rollout. */
const probes = computed(() => [
  ...(act.value?.probes ?? []),
  ...entries.value.flatMap((entry) => (saidIn(entry)['probes'] as ProbeSaid[] | undefined) ?? []),
])
const places = computed(() => (act.value?.plan ?? []) as PlacementPlan[])
const gates = computed(() => (act.value?.gates ?? []) as GateItem[])

const download = () => {
  const text = JSON.stringify(props.evidence, null, 2)
  offer(new Blob([text], { type: 'application/json' }), props.file)
}
const print = () => window.print()
const origin = globalThis.location.origin
</script>

<template>
  <h1>Evidence: {{ title }}</h1>
  <p class="sentence">
    {{ count(entries.length, 'entry of the ledger', 'entries of the ledger')
    }}<template v-if="act"
      >, {{ count(act.approvals.length, 'approval') }},
      {{ count(act.gates.length, 'gate') }}</template
    >; the head is of {{ figure(evidence.head.size) }} entries, signed
    {{ stamp(evidence.head.at) }}.
  </p>
  <div class="bar acts">
    <button class="fill" @click="download()">Download JSON</button>
    <button class="ghost" @click="print()">Print</button>
  </div>
  <h3>What happened</h3>
  <table class="ruled">
    <thead>
      <tr>
        <th>Entry</th>
        <th>When</th>
        <th>Who</th>
        <th>What</th>
        <th>Said with it</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="entry in entries" :key="entry.number">
        <td class="mono">
          <NuxtLink :to="{ path: '/ledger', query: { entry: entry.number } }">{{
            entry.number
          }}</NuxtLink>
        </td>
        <td class="nowrap">{{ stamp(entry.at) }}</td>
        <td class="nowrap">{{ session.nameOf(entry.actor) }}</td>
        <td>
          {{ actionWords(entry.action) }} <span class="soft mono small">{{ entry.subject }}</span>
        </td>
        <td class="soft">{{ words(entry) }}</td>
      </tr>
    </tbody>
  </table>
  <template v-if="act">
    <h3>
      The definition
      <small>revision {{ act.definition.revision }}, version {{ act.definition.version }}</small>
    </h3>
    <table class="ruled">
      <tbody>
        <tr v-for="one in act.definition.files" :key="one.name">
          <td>{{ one.name }}</td>
          <td class="mono digest">{{ one.sha256 }}</td>
        </tr>
      </tbody>
    </table>
    <template v-for="place in places" :key="place.group + place.address">
      <h3>
        What it changed on {{ place.group }} <small>{{ place.address }}</small>
      </h3>
      <p v-if="place.becomes">{{ becomingWords(place) }}</p>
      <p v-else>
        {{ place.replaces ? `It took the place of ${place.replaces}.` : 'Nothing stood there.' }}
        {{ count(place.added.length, 'operation') }} more, {{ place.removed.length }} fewer,
        {{ count(place.changes.length, 'setting') }} otherwise.
      </p>
      <ul v-if="place.added.length || place.removed.length">
        <li v-for="name in place.added" :key="name">
          <code>+ {{ name }}</code>
        </li>
        <li v-for="name in place.removed" :key="name">
          <code class="copper-text">− {{ name }}</code>
        </li>
      </ul>
    </template>
    <h3>Gates as they stood</h3>
    <Gates :gates="gates" />
    <template v-if="act.outside?.length">
      <h3>From outside</h3>
      <table class="ruled">
        <tbody>
          <tr v-for="one in act.outside" :key="one.source">
            <td :class="one.passed ? 'elm-text' : 'copper-text'">{{ one.passed ? '✓' : '✕' }}</td>
            <td>{{ one.source }}</td>
            <td class="nowrap">{{ stamp(one.at) }}</td>
            <td class="soft">
              {{ one.says }} <a v-if="one.url" :href="one.url" rel="noreferrer">{{ one.url }}</a>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
    <template v-if="probes.length">
      <h3>Probes</h3>
      <table class="ruled">
        <tbody>
          <tr v-for="(run, index) in probes" :key="index">
            <td :class="run.passed ? 'elm-text' : 'copper-text'">{{ run.passed ? '✓' : '✕' }}</td>
            <td>{{ run.title }}</td>
            <td>{{ run.gateway }}</td>
            <td class="nowrap">{{ stamp(run.at) }}</td>
            <td class="soft">{{ run.says }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <template v-for="comparison in act.comparisons" :key="comparison.since">
      <h3>
        What changed since {{ comparison.since }}
        <small
          >{{ comparison.breaking }} breaking, {{ comparison.risky }} risky,
          {{ comparison.safe }} safe</small
        >
      </h3>
      <table class="ruled">
        <tbody>
          <tr v-for="(change, index) in comparison.listed" :key="index">
            <td class="nowrap">{{ change.effect }}</td>
            <td>
              <code>{{ change.operation }}</code>
            </td>
            <td>{{ change.message }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <h3>
      Findings of the revision
      <small
        >{{ act.findings.must }} MUST, {{ act.findings.should }} SHOULD, {{ act.findings.may }} MAY
        that counted</small
      >
    </h3>
    <p v-if="!act.findings.listed.length" class="soft">The revision broke no rule.</p>
    <table v-else class="ruled">
      <tbody>
        <tr v-for="(finding, index) in act.findings.listed" :key="index">
          <td>
            <span class="level" :class="finding.level">{{ finding.level }}</span>
          </td>
          <td class="nowrap soft">{{ finding.status }}</td>
          <td>{{ finding.message }}</td>
          <td class="mono small">{{ finding.rule }}</td>
        </tr>
      </tbody>
    </table>
  </template>
  <template v-if="steps.length">
    <h3>Gateway by gateway</h3>
    <table class="ruled">
      <tbody>
        <tr v-for="(step, index) in steps" :key="index">
          <td>{{ step.gateway }}</td>
          <td>{{ step.state }}</td>
          <td class="nowrap">{{ stamp(step.at) }}</td>
          <td class="soft">{{ step.detail }}</td>
        </tr>
      </tbody>
    </table>
  </template>
  <h3>
    Checked here
    <small>{{ wrong.length ? `${wrong.length} do not hold` : 'all of it holds' }}</small>
  </h3>
  <p v-for="{ what, trouble } in checks" :key="what" :class="{ 'copper-text': trouble }">
    {{ trouble ? '≠' : '=' }} {{ what }}{{ trouble ? `: ${trouble}` : '' }}.
  </p>
  <p class="soft">
    The signature of the head is checked with the key that somebody kept from the day it was made,
    without this server:
  </p>
  <pre tabindex="0">
curl {{ origin }}/api/v1/ledger/key &gt; ledger-key.pem
elm-ledger verify {{ file }} --key ledger-key.pem</pre>
  <p class="soft small">From {{ source }}.</p>
</template>

<style scoped>
.digest {
  overflow-wrap: anywhere;
  font-size: 11px;
}
ul {
  margin: 2px 0 8px;
  padding: 0;
  list-style: none;
}
pre {
  font: 11.5px/1.5 var(--mono);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  color: var(--soft);
}
@media print {
  .acts {
    display: none;
  }
}
</style>
