<script setup lang="ts">
import { useSession } from '~/stores/session'

/** What stands in a stage, to be taken together into the next one. */
const session = useSession()
const stages = computed(() => session.shell?.stages ?? [])
const { filters, set, typed } = useFilters(['stage', 'find'] as const)
const find = typed('find')
const from = computed(() => filters.value.stage || stages.value.at(-2) || stages.value[0] || '')
const { data, refusal } = useLoad(
  () => api.listPlacements({ stage: from.value, limit: 1000 }),
  ['placement'],
  () => from.value,
)
/** Where the usual way leads from there: what stands there already has nothing to be promoted for. */
const next = computed(() => stages.value[stages.value.indexOf(from.value) + 1])
const { data: beyond } = useLoad(
  () => api.listPlacements({ stage: next.value ?? '', limit: 1000 }),
  ['placement'],
  () => next.value,
)
const { busy, refusal: refused, act } = useAct()
const title = ref('')
const note = ref('')
const neededBy = ref('')
/** The version that is taken of each API. */
const taken = ref(new Map<string, string>())
watch(from, () => (taken.value = new Map()))

interface Standing {
  api: string
  title: string
  team: string
  version: string
}
const standing = computed((): Standing[] => {
  const found = new Map<string, Standing>()
  const beyondAlready = new Set(
    (beyond.value?.items ?? []).map(({ api: slug, version }) => `${slug} ${version}`),
  )
  for (const { api: slug, title: name, team, version } of data.value?.items ?? [])
    if (!beyondAlready.has(`${slug} ${version}`))
      found.set(`${slug} ${version}`, { api: slug, title: name, team, version })
  return [...found.values()].sort(
    (one, other) =>
      one.title.localeCompare(other.title) || one.version.localeCompare(other.version),
  )
})
const shown = computed(() => {
  const wanted = find.value.trim().toLowerCase()
  return standing.value.filter(({ title: name, team, api: slug }) =>
    `${name} ${team} ${slug}`.toLowerCase().includes(wanted),
  )
})
const isTaken = ({ api: slug, version }: Standing) => taken.value.get(slug) === version
function take(one: Standing) {
  if (isTaken(one)) taken.value.delete(one.api)
  else taken.value.set(one.api, one.version)
}
const chosen = computed(() => standing.value.filter(isTaken))
async function make() {
  const made = await act(() =>
    api.createRelease(
      {},
      {
        ...{ title: title.value.trim(), note: note.value, from: from.value },
        versions: chosen.value.map(({ api: slug, version }) => ({ api: slug, version })),
        ...(neededBy.value && { neededBy: neededBy.value }),
      },
    ),
  )
  if (made) await navigateTo(`/promotions/releases/${made.release}`)
}
</script>

<template>
  <Leaf>
    <h1>New release</h1>
    <p class="sentence">
      Versions that enter the next stage together: all of them, or none. Of each API one.
    </p>
    <Leaves :leaves="promotionLeaves" />
    <Trouble :refusal="refusal" />
    <div class="bar">
      <FilterChip
        label="They stand in"
        :options="choicesOf(stages)"
        :any="from"
        :model-value="filters.stage"
        @update:model-value="set({ stage: $event })"
      />
      <InputText v-model="find" placeholder="API or team" aria-label="API or team" />
    </div>
    <div v-if="data && beyond && !shown.length" class="empty">
      <p>
        {{
          standing.length
            ? 'No API or team is called so.'
            : `Nothing stands in ${from} that is not in ${next} already.`
        }}
      </p>
    </div>
    <table v-else-if="data && beyond" class="ruled">
      <thead>
        <tr>
          <th aria-label="Taken" />
          <th>API</th>
          <th>Version</th>
          <th>Team</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in shown" :key="one.api + one.version">
          <td class="tick">
            <input
              type="checkbox"
              :checked="isTaken(one)"
              :aria-label="`Take ${one.title} ${one.version}`"
              @change="take(one)"
            />
          </td>
          <td>
            <NuxtLink :to="`/apis/${one.api}`"
              ><b>{{ one.title }}</b></NuxtLink
            >
          </td>
          <td class="mono">{{ one.version }}</td>
          <td>{{ one.team }}</td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <h2>
        {{ count(chosen.length, 'version') }}
      </h2>
      <p v-if="!chosen.length" class="soft">Take two at least.</p>
      <div v-for="one in chosen" :key="one.api" class="pair">
        <span>{{ one.title }}</span><b class="mono">{{ one.version }}</b>
      </div>
      <h3>The release</h3>
      <label class="field"
        ><span>What it is called</span><InputText v-model="title" maxlength="100"
      /></label>
      <label class="field"
        ><span>What it is for</span><Textarea v-model="note" rows="3" maxlength="2000"
      /></label>
      <label class="field"
        ><span>Needed by</span><input v-model="neededBy" type="date" class="p-inputtext"
      /></label>
      <button
        class="fill"
        :disabled="busy || chosen.length < 2 || title.trim() === ''"
        @click="make()"
      >
        Put it together
      </button>
      <Trouble :refusal="refused" />
      <p class="soft small">
        What nobody has asked for yet is asked for in your name. A request that waits already is
        taken in with its approvals.
      </p>
    </template>
  </Leaf>
</template>

<style scoped>
.tick {
  width: 34px;
}
</style>
