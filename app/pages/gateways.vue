<script setup lang="ts">
import { differenceInCalendarDays, parseISO } from 'date-fns'
import { gatewayKinds } from '~~/core/runtime/gateway-kinds'
import type { CertificateFacts, GatewayItem } from '~~/shared/api/gateways'

const { filters, set } = useFilters(['gateway', 'view'] as const)
const { data: page, refusal, reload } = useLoad(() => api.listGateways())
const { data: groups } = useLoad(() => api.listGatewayGroups(), ['gateway', 'placement'])
const { data: placed } = useLoad(() => api.listPlacements(), ['placement', 'drift', 'gateway'])
const { busy, refusal: actRefusal, act } = useAct()
/** Group by group, as what is placed runs on all of a group. */
const all = computed(() => {
  const items = page.value?.items ?? []
  const order = groups.value?.items.map(({ name }) => name) ?? []
  return [...items].sort((a, b) => order.indexOf(a.group) - order.indexOf(b.group))
})
const trouble = computed(() => all.value.filter((gateway) => gateway.trouble).length)
const { selected, current } = useRows(() => all.value, {
  open: (row) => navigateTo({ path: '/drift', query: { gateway: row.name } }),
  naming: { key: ({ name }) => name, wanted: () => filters.value.gateway },
})
const choose = (index: number) => {
  selected.value = index
  void set({ gateway: all.value[index]!.name })
}
const isFirstOfGroup = (index: number) => all.value[index - 1]?.group !== all.value[index]!.group
const groupOf = (gateway: GatewayItem) =>
  groups.value?.items.find(({ name }) => name === gateway.group)

const soonDays = 30
const daysLeft = ({ ends }: CertificateFacts) =>
  differenceInCalendarDays(parseISO(ends), new Date())
/** The certificate that ends first. */
const firstEnd = ({ certificates }: GatewayItem) =>
  [...certificates].sort((a, b) => Date.parse(a.ends) - Date.parse(b.ends))[0]
const endWords = (certificate: CertificateFacts) => {
  const days = daysLeft(certificate)
  return days < 0 ? `ended ${ago(certificate.ends)}` : `ends in ${count(days, 'day')}`
}
const leftWords = (certificate: CertificateFacts) => {
  const days = daysLeft(certificate)
  return days < 0 ? 'ended' : `${count(days, 'day')} left`
}
const ending = computed(() =>
  all.value.filter((gateway) => {
    const first = firstEnd(gateway)
    return first && daysLeft(first) < soonDays
  }),
)

/** What runs on the chosen one: what is placed on its group. */
const running = computed(() =>
  (placed.value?.items ?? []).filter(({ group }) => group === current.value?.group),
)
const views = computed(() => [
  { value: 'placements', label: 'Placements', number: running.value.length },
  { value: 'routes', label: 'Routes', number: current.value?.routes ?? 0 },
  { value: 'health', label: 'Health' },
  { value: 'abilities', label: 'What it can enforce' },
  ...(current.value?.kind === 'uploaded' ? [{ value: 'upload', label: 'Upload' }] : []),
])
const view = computed({
  get: () =>
    views.value.some(({ value }) => value === filters.value.view)
      ? filters.value.view
      : 'placements',
  set: (value) => void set({ view: value === 'placements' ? '' : value }),
})
const read = (name: string) =>
  act(async () => {
    await api.readGateway({ gateway: name })
    await reload()
  })
</script>

<template>
  <Leaf>
    <h1>Gateways</h1>
    <p v-if="page" class="sentence">
      {{ spelled(all.length) }} {{ all.length === 1 ? 'gateway' : 'gateways' }}, read every minute.
      {{
        trouble
          ? `${count(trouble, 'gateway does', 'gateways do')} not answer.`
          : 'All of them can be read.'
      }}
      <template v-for="gateway in ending" :key="gateway.name">
        <button @click="choose(all.indexOf(gateway))">
          A certificate of {{ gateway.name }} {{ endWords(firstEnd(gateway)!) }}</button
        >.
      </template>
      <NuxtLink class="plain" to="/rollouts">Rollouts</NuxtLink> carry changes out.
    </p>
    <Trouble :refusal="refusal ?? actRefusal" />
    <table class="ruled">
      <thead>
        <tr>
          <th>Gateway</th>
          <th>Kind</th>
          <th>Traffic URL</th>
          <th>TLS</th>
          <th class="right">Routes</th>
          <th class="right">Differing</th>
          <th>Last read</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <template v-for="(gateway, index) in all" :key="gateway.name">
          <tr v-if="isFirstOfGroup(index)" class="group">
            <td colspan="8">
              <b class="name">{{ gateway.group }}</b>
              <span class="soft">{{ groupOf(gateway)?.serves }}</span>
              <span class="right soft">
                <NuxtLink
                  class="plain"
                  :to="{ path: '/policies', query: { scope: `group:${gateway.group}` } }"
                  >Policies of the group</NuxtLink
                >
              </span>
            </td>
          </tr>
          <tr :class="{ on: index === selected }" @click="choose(index)">
            <td>
              <b>{{ gateway.name }}</b>
              <div class="soft small">{{ gateway.serves }}</div>
            </td>
            <td class="small">
              {{ gatewayKinds[gateway.kind].title }}
              <div v-if="gateway.folder" class="mono soft">{{ gateway.folder }}</div>
            </td>
            <td class="mono small">{{ gateway.dataUrl || '–' }}</td>
            <td class="small">
              <span
                v-if="firstEnd(gateway)"
                class="left"
                :class="{ bad: daysLeft(firstEnd(gateway)!) < soonDays }"
                >{{ leftWords(firstEnd(gateway)!) }}</span
              >
              <span v-else class="soft">{{ gateway.tlsUrl ? 'no certificate' : '–' }}</span>
            </td>
            <td class="right mono">
              <NuxtLink
                class="plain"
                :to="{ query: { gateway: gateway.name, view: 'routes' } }"
                @click.stop="selected = index"
                >{{ gateway.routes }}</NuxtLink
              >
            </td>
            <td class="right mono">
              <NuxtLink
                class="plain"
                :to="{ path: '/drift', query: { gateway: gateway.name, mark: 'differs' } }"
                >{{ gateway.differing }}</NuxtLink
              >
            </td>
            <td class="small">
              {{ gateway.seenAt ? moment(gateway.seenAt) : 'never' }}
              <div v-if="gateway.trouble" class="bad">not readable</div>
            </td>
            <td class="right">
              <button
                class="ghost"
                :disabled="busy"
                :aria-label="`Read ${gateway.name} now`"
                @click.stop="read(gateway.name)"
              >
                Read now
              </button>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
    <template v-if="current && placed">
      <h2 class="runs">{{ current.name }}</h2>
      <PlacementTabs v-model="view" :views="views" />
      <GatewayRoutes v-if="view === 'routes'" :name="current.name" />
      <GatewayHealth v-else-if="view === 'health'" :key="current.name" :name="current.name" />
      <GatewayAbilities
        v-else-if="view === 'abilities'"
        :kind="current.kind"
        :https="current.tlsUrl !== ''"
      />
      <GatewayUpload v-else-if="view === 'upload'" :gateway="current" @taken="reload()" />
      <p v-else-if="!running.length" class="soft">
        Nothing is placed on {{ current.group }} yet.
        <template v-if="gatewayKinds[current.kind].isWritten"
          >Choose an API in the <NuxtLink class="plain" to="/">register</NuxtLink> and place a
          version of it.</template
        >
      </p>
      <table v-else class="ruled">
        <thead>
          <tr>
            <th>API</th>
            <th>Stage</th>
            <th>Address outside</th>
            <th class="right">Operations served</th>
            <th>State</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="placement in running" :key="placement.id">
            <td>
              <NuxtLink class="plain" :to="`/apis/${placement.api}/placements`"
                >{{ placement.title }} {{ placement.version }}</NuxtLink
              >
            </td>
            <td>{{ placement.stage }}</td>
            <td class="mono small">https://{{ placement.host }}{{ placement.basePath }}</td>
            <td class="right mono">{{ placement.routes.route + placement.routes.mock }}</td>
            <td :class="{ bad: placement.mark === 'differs' }">
              {{ markWords(placement.mark, placement.differences.length) }}
            </td>
          </tr>
        </tbody>
      </table>
    </template>
    <template #margin>
      <template v-if="current">
        <h2>{{ current.name }}</h2>
        <p class="soft">{{ current.serves }}</p>
        <p v-if="current.trouble" class="trouble">{{ current.trouble }}</p>
        <template v-if="current.certificates.length || current.certificateTroubles.length">
          <h3>
            Certificates <small>{{ current.certificates.length }}</small>
          </h3>
          <p v-for="certificate in current.certificates" :key="certificate.file">
            <b :class="{ bad: daysLeft(certificate) < soonDays }">{{ endWords(certificate) }}</b>,
            {{ moment(certificate.ends) }}
            <br />
            <span class="soft small">by {{ certificate.issuer }}, for</span>
            <code v-for="host in certificate.names" :key="host" class="host">{{ host }}</code>
          </p>
          <p v-for="said in current.certificateTroubles" :key="said" class="trouble">{{ said }}</p>
        </template>
        <template v-if="current.passedOver.length">
          <h3>
            Not understood <small>{{ current.passedOver.length }}</small>
          </h3>
          <p v-for="said in current.passedOver" :key="said" class="small">{{ said }}</p>
        </template>
        <h3>
          Routes nobody placed <small>{{ current.unclaimed.length }}</small>
        </h3>
        <p v-if="!current.unclaimed.length" class="soft">
          Everything it serves belongs to a placement.
        </p>
        <p v-for="route in current.unclaimed" :key="route">
          <code>{{ route }}</code>
        </p>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.bad {
  color: var(--copper);
}
.runs {
  margin: 22px 0 0;
}
.group td {
  padding-block: 7px;
  background: var(--paper);
}
.name {
  margin-right: 8px;
}
.left {
  white-space: nowrap;
}
.group .right {
  float: right;
}
.host {
  display: block;
  overflow-wrap: anywhere;
}
</style>
