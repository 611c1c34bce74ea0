<script setup lang="ts">
const topics = [
  'person',
  'organisation',
  'stages',
  'host',
  'gateway',
  'group',
  'product',
  'session',
]
const { data: people, reload, refusal } = useLoad(() => api.listPeople(), topics)
const { data: stages } = useLoad(() => api.listStages(), topics)
const { data: hosts } = useLoad(() => api.listHosts(), topics)
const { data: gateways } = useLoad(() => api.listGateways(), topics)
const { data: groups } = useLoad(() => api.listGatewayGroups(), topics)

const { data: settings, reload: reloadSettings } = useLoad(() => api.getSettings(), topics)

const { filters, set } = useFilters(['part'] as const)
const parts = [
  'People',
  'Sign-in',
  'Organisation',
  'Stages and hosts',
  'Gateways',
  'Retention and address',
] as const
const part = computed(() => parts.find((name) => name === filters.value.part) ?? 'People')
const all = computed(() => people.value?.items ?? [])
const inState = (state: string) => all.value.filter((person) => person.state === state).length
</script>

<template>
  <Leaf>
    <h1>Administration</h1>
    <p v-if="people" class="sentence">
      {{ count(inState('active'), 'person may', 'people may') }} sign in,
      {{ count(inState('invited'), 'has', 'have') }} a link to use, and {{ inState('ended') }} may
      not any more; {{ count(stages?.items.length ?? 0, 'stage') }},
      {{ count(hosts?.items.length ?? 0, 'host') }},
      {{ count(gateways?.items.length ?? 0, 'gateway') }}.
    </p>
    <Trouble :refusal="refusal" />
    <div class="bar" role="tablist" aria-label="Parts of administration">
      <button
        v-for="name in parts"
        :key="name"
        role="tab"
        class="ghost"
        :aria-selected="part === name"
        @click="set({ part: name })"
      >
        {{ name }}
      </button>
    </div>
    <AdministrationPeople v-if="part === 'People'" :people="all" @changed="reload()" />
    <AdministrationOrganisation v-else-if="part === 'Organisation'" />
    <AdministrationStages
      v-else-if="part === 'Stages and hosts'"
      :stages="stages?.items ?? []"
      :hosts="hosts?.items ?? []"
    />
    <AdministrationSignIn
      v-else-if="part === 'Sign-in' && settings"
      :settings="settings"
      @changed="reloadSettings()"
    />
    <AdministrationKeeping
      v-else-if="part === 'Retention and address' && settings"
      :settings="settings"
      @changed="reloadSettings()"
    />
    <AdministrationGateways
      v-else-if="part === 'Gateways'"
      :gateways="gateways?.items ?? []"
      :groups="groups?.items ?? []"
    />
  </Leaf>
</template>

<style scoped>
button[aria-selected='true'] {
  background: var(--faint);
  font-weight: 620;
}
</style>
