<script setup lang="ts">
import { rowName } from '~~/core/runtime/placement'
import type { PromotionDetail } from '~~/shared/api/promotions'

/** What a request changes at every place that it writes. */
const props = defineProps<{ promotion: PromotionDetail }>()
const drifting = computed(() => ['put-back', 'keep'].includes(props.promotion.kind))
</script>

<template>
  <template v-for="plan in promotion.plan" :key="plan.group + plan.address">
    <h3>
      {{ plan.becomes ? `What becomes of ${plan.replaces}` : 'What changes' }} in
      {{ promotion.to }} on {{ plan.group }}
    </h3>
    <p class="address mono soft small">{{ plan.address }}</p>
    <p v-if="plan.becomes">{{ becomingWords(plan) }}</p>
    <p v-else-if="promotion.kind === 'put-back'">What is approved is written again.</p>
    <p v-else-if="promotion.kind === 'keep'">What the gateways run becomes what is approved.</p>
    <p v-else>
      {{
        plan.replaces
          ? `Takes the place of ${plan.replaces}.`
          : 'Nothing stands at this address yet.'
      }}
      {{
        plan.added.length
          ? `${count(plan.added.length, 'operation becomes', 'operations become')} served`
          : 'No operation is added'
      }}{{ plan.removed.length ? `, ${plan.removed.length} no longer` : ', none goes away'
      }}{{
        plan.changes.length
          ? `, ${count(plan.changes.length, 'setting changes', 'settings change')}.`
          : ', no setting changes.'
      }}
      <NuxtLink
        v-if="plan.replaces && plan.replaces !== promotion.version"
        class="plain"
        :to="{
          path: `/apis/${promotion.api}/compare`,
          query: { from: `version ${plan.replaces}`, to: `version ${promotion.version}` },
        }"
        >What it breaks, and for whom</NuxtLink
      >
    </p>
    <div class="columns">
      <div v-if="plan.added.length">
        <b class="small">Served from then on</b>
        <ul>
          <li v-for="name in plan.added" :key="name">
            <code>+ {{ name }}</code>
          </li>
        </ul>
      </div>
      <div v-if="plan.removed.length">
        <b class="small gone">No longer served</b>
        <ul>
          <li v-for="name in plan.removed" :key="name">
            <code class="gone">− {{ name }}</code>
          </li>
        </ul>
      </div>
    </div>
    <DifferenceBox
      v-for="change in plan.changes"
      :key="change.where + change.what"
      :difference="change"
      :left="drifting ? 'ledger' : 'now'"
      :right="drifting ? 'gateway' : 'then'"
    />
    <details v-if="plan.spec" class="soft">
      <summary>Where every operation goes</summary>
      <table class="ruled">
        <tbody>
          <tr v-for="row in plan.spec.routes" :key="row.method + row.path">
            <td>
              <OperationName
                v-bind="row"
                :soap="plan.soap?.find((name) => rowName(name) === rowName(row))"
              />
            </td>
            <td>
              {{
                row.treatment.kind === 'route' ? `to ${row.treatment.backend}` : row.treatment.kind
              }}
              <span v-if="row.treatment.kind === 'withheld'" class="small">{{
                row.treatment.reason
              }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-for="backend in plan.spec.backends" :key="backend.name">
        <code>{{ backend.name }} = {{ backend.url }}</code>
      </p>
    </details>
  </template>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(220px, 1fr));
  gap: 18px;
}
ul {
  margin: 2px 0 8px;
  padding: 0;
  list-style: none;
}
code,
.address {
  overflow-wrap: anywhere;
}
.gone {
  color: var(--copper);
}
</style>
