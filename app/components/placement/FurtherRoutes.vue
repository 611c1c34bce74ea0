<script setup lang="ts">
import type { FurtherRouteBody, SpecBody } from '~~/shared/api/placements'

/** Routes beside those of the operations: other paths, other targets for some requests, and what unknown paths get. */
const spec = defineModel<SpecBody>({ required: true })
defineProps<{ faults: string[] }>()

const routes = computed(() => spec.value.furtherRoutes ?? [])
const choices = computed(() => [
  ...spec.value.backends.map(({ name }) => ({ value: `route:${name}`, label: `to ${name}` })),
  { value: 'withheld', label: 'withheld' },
])
const choiceOf = ({ treatment }: FurtherRouteBody) =>
  treatment.kind === 'route' ? `route:${treatment.backend}` : 'withheld'

function add(more: Partial<FurtherRouteBody>) {
  const used = new Set(routes.value.map(({ name }) => name))
  let name = more.name ?? 'route-1'
  for (let n = 2; used.has(name); n++) name = `${more.name ?? 'route'}-${n}`
  const backend = spec.value.backends[0]?.name ?? ''
  const route: FurtherRouteBody = {
    path: '/',
    treatment: { kind: 'route', backend },
    ...more,
    name,
  }
  spec.value.furtherRoutes = [...routes.value, route]
}
function remove(index: number) {
  const left = routes.value.filter((_, i) => i !== index)
  if (left.length > 0) spec.value.furtherRoutes = left
  else delete spec.value.furtherRoutes
}
function decide(route: FurtherRouteBody, choice: string) {
  route.treatment = choice.startsWith('route:')
    ? { kind: 'route', backend: choice.slice(6) }
    : { kind: 'withheld', reason: '' }
}
const addCondition = (route: FurtherRouteBody) => {
  route.conditions = [...(route.conditions ?? []), { in: 'header', name: '', value: '' }]
}
function removeCondition(route: FurtherRouteBody, index: number) {
  const left = (route.conditions ?? []).filter((_, i) => i !== index)
  if (left.length > 0) route.conditions = left
  else delete route.conditions
}
const isWhole = ({ method, path, below, conditions }: FurtherRouteBody) =>
  method === undefined && path === '/' && below && !conditions?.length
const hasDefault = computed(() => routes.value.some(isWhole))
</script>

<template>
  <PlacementSection title="Further routes">
    <p v-if="!routes.length" class="soft none">
      None: paths that no operation takes answer 404. A further route serves what the definition
      does not have, or sends some requests of an operation elsewhere.
    </p>
    <div
      v-for="(route, index) in routes"
      :key="index"
      class="route"
      :class="{ wrong: faults.some((field) => field.startsWith(`furtherRoutes.${index}`)) }"
    >
      <div class="line">
        <label class="field name"
          ><span>Name</span><InputText v-model="route.name" class="mono"
        /></label>
        <label class="field name"
          ><span>Method</span
          ><InputText
            :model-value="route.method ?? ''"
            class="mono"
            placeholder="any"
            @update:model-value="route.method = $event?.toUpperCase() || undefined"
        /></label>
        <label class="field path"
          ><span>Path below the base path</span><InputText v-model="route.path" class="mono"
        /></label>
        <label class="check"
          ><Checkbox
            :model-value="route.below ?? false"
            binary
            @update:model-value="route.below = $event || undefined"
          />
          and everything below</label
        >
        <label class="field name"
          ><span>Treatment</span>
          <select :value="choiceOf(route)" @change="decide(route, textOf($event))">
            <option v-for="choice in choices" :key="choice.value" :value="choice.value">
              {{ choice.label }}
            </option>
          </select>
        </label>
        <button type="button" class="plain" @click="remove(index)">Remove</button>
      </div>
      <label v-if="route.treatment.kind === 'withheld'" class="field reason"
        ><span>Why it is withheld</span><InputText v-model="route.treatment.reason"
      /></label>
      <div v-for="(condition, place) in route.conditions" :key="place" class="line conditions">
        <label class="field name"
          ><span>Only with</span>
          <select v-model="condition.in">
            <option value="header">header</option>
            <option value="query">query parameter</option>
          </select>
        </label>
        <label class="field name"
          ><span>Name</span><InputText v-model="condition.name" class="mono"
        /></label>
        <label class="field path"
          ><span>Value, to the letter</span><InputText v-model="condition.value" class="mono"
        /></label>
        <button type="button" class="plain" @click="removeCondition(route, place)">
          Remove condition
        </button>
      </div>
      <p class="foot">
        <button type="button" class="plain" @click="addCondition(route)">Add a condition</button>
        <span v-if="isWhole(route)" class="soft"
          >This is what unknown paths get. Withheld operations stay withheld.</span
        >
      </p>
    </div>
    <p class="adds">
      <button type="button" class="ghost" :disabled="!spec.backends.length" @click="add({})">
        Add a route
      </button>
      <button
        v-if="!hasDefault"
        type="button"
        class="ghost"
        :disabled="!spec.backends.length"
        @click="add({ name: 'unknown-paths', below: true })"
      >
        Send unknown paths on
      </button>
      <span v-if="!spec.backends.length" class="soft">A route needs a backend first.</span>
    </p>
  </PlacementSection>
</template>

<style scoped>
.none {
  margin: 0 0 8px;
}
.route {
  border-left: 2px solid var(--rule);
  padding-left: 12px;
  margin-bottom: 10px;
}
.route.wrong {
  border-color: var(--copper);
}
.line {
  display: flex;
  gap: 12px;
  align-items: flex-end;
  flex-wrap: wrap;
}
.line .plain,
.check {
  margin-bottom: 16px;
}
.check {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 12.5px;
}
.name {
  flex: 0 1 112px;
}
.path {
  flex: 1 1 150px;
}
.conditions {
  padding-left: 22px;
}
.reason {
  max-width: 420px;
}
.foot,
.adds {
  display: flex;
  gap: 12px;
  align-items: center;
  margin: 0 0 6px;
}
select {
  font: 12.5px var(--body);
  border: 1px solid var(--rule);
  border-radius: 5px;
  background: var(--paper);
  color: var(--ink);
  padding: 6px;
  width: 100%;
}
</style>
