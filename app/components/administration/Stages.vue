<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { listed } from '~~/core/text/counted'
import { audiences } from '~~/shared/words'
import type { HostItem, StageItem, StagesImpact } from '~~/shared/api/administration'

/** The stages in order, where their backends may be, and the hosts that belong to them. */
const props = defineProps<{ stages: StageItem[]; hosts: HostItem[] }>()
const session = useSession()
const { busy, refusal, act } = useAct()

/** A stage as it is written; `stands` is what it is called so far, and empty for a new one. */
type Row = StageItem & { stands: string }
const written = ref<Row[]>([])
const rowsOf = (stages: readonly StageItem[]): Row[] =>
  structuredClone(toRaw(stages).map((stage) => ({ ...toRaw(stage), stands: stage.name })))
const reset = () => (written.value = rowsOf(props.stages))
reset()
const plain = (rows: readonly StageItem[]) =>
  JSON.stringify(rows.map((row) => ({ ...row, stands: undefined })))
// What somebody else sets meanwhile does not take away what is being written here.
watch(
  () => props.stages,
  (now, before) => {
    if ([before, now].some((stages) => plain(stages) === plain(written.value))) reset()
  },
)
const wanted = computed(() =>
  written.value.map(({ stands, ...stage }) => ({
    ...stage,
    ...(stands !== '' && stands !== stage.name.trim() && { formerly: stands }),
  })),
)
const dirty = computed(() => plain(written.value) !== plain(props.stages))
const impact = shallowRef<StagesImpact>()
const { act: look, refusal: against } = useLatest()
const measure = useDebounceFn(() => {
  if (dirty.value)
    void look(
      () => api.checkStages({}, { stages: wanted.value }),
      (found) => (impact.value = found),
    )
}, 400)
watch(wanted, () => {
  impact.value = undefined
  void measure()
})

const keepStages = () =>
  act(async () => {
    await api.updateStages({}, { stages: wanted.value })
    for (const row of written.value) row.stands = row.name.trim()
    await session.refresh()
  })
const addStage = () =>
  written.value.push({
    ...{ name: '', stands: '', schemes: ['https'] },
    ...{ backendHosts: ['*'], networks: ['10.0.0.0/8'] },
  })
const move = (index: number, by: 1 | -1) => {
  const [row] = written.value.splice(index, 1)
  written.value.splice(index + by, 0, row!)
}

const host = reactive<HostItem>({ name: '', stage: '', audiences: ['partner'] })
const keepHost = () =>
  act(() => {
    const { stage, audiences: of } = host
    const name = encodeURIComponent(host.name.trim().toLowerCase())
    return api.updateHost({ host: name }, { stage, audiences: of })
  })
const removeHost = (name: string) => act(() => api.removeHost({ host: name }))
</script>

<template>
  <div>
    <Trouble :refusal="refusal" />
    <form @submit.prevent="keepStages()">
      <fieldset :disabled="busy">
        <table class="ruled">
          <thead>
            <tr>
              <th>Stage, from first to last</th>
              <th>Backends speak</th>
              <th>Their names</th>
              <th>Their networks</th>
              <th />
            </tr>
          </thead>
          <tbody>
            <tr v-for="(stage, index) in written" :key="index">
              <td><InputText v-model="stage.name" :aria-label="`Name of stage ${index + 1}`" /></td>
              <td class="nowrap">
                <label v-for="scheme in ['http', 'https'] as const" :key="scheme" class="tick"
                  ><input v-model="stage.schemes" type="checkbox" :value="scheme" />
                  {{ scheme }}</label
                >
              </td>
              <td>
                <Textarea
                  :model-value="stage.backendHosts.join('\n')"
                  rows="2"
                  :aria-label="`Names of backends of ${stage.name}`"
                  @update:model-value="stage.backendHosts = linesOf(String($event))"
                />
              </td>
              <td>
                <Textarea
                  :model-value="stage.networks.join('\n')"
                  rows="2"
                  :aria-label="`Networks of backends of ${stage.name}`"
                  @update:model-value="stage.networks = linesOf(String($event))"
                />
              </td>
              <td class="right nowrap">
                <button
                  type="button"
                  class="plain"
                  :disabled="index === 0"
                  :aria-label="`Move ${stage.name} up`"
                  @click="move(index, -1)"
                >
                  Up
                </button>
                <button
                  type="button"
                  class="plain"
                  :disabled="index === written.length - 1"
                  :aria-label="`Move ${stage.name} down`"
                  @click="move(index, 1)"
                >
                  Down
                </button>
                <button type="button" class="plain" @click="written.splice(index, 1)">
                  Remove
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </fieldset>
      <template v-if="dirty">
        <div v-if="impact && !against" role="status">
          <ul class="impact">
            <li v-for="one in impact.renamed" :key="one.to">
              <b>{{ one.from }}</b> is called <b>{{ one.to }}</b> from then on, with
              {{ count(one.placements, 'placement') }} and
              {{ count(one.requests, 'request that waits', 'requests that wait')
              }}<template v-if="one.pipelines.length"
                >; an edition is published of {{ listed(one.pipelines) }}</template
              >.
            </li>
            <li v-for="name in impact.added" :key="name">
              <b>{{ name }}</b> is new.
            </li>
            <li v-for="name in impact.removed" :key="name">
              <b>{{ name }}</b> goes.
            </li>
            <li v-if="impact.first">
              Versions are placed in <b>{{ impact.first }}</b> from then on.
            </li>
            <li v-if="impact.beside.length">
              {{ listed(impact.beside) }} {{ impact.beside.length === 1 ? 'begins' : 'begin' }} in
              another stage than versions are placed in, and
              {{ impact.beside.length === 1 ? 'leads' : 'lead' }} nobody on.
            </li>
            <li v-for="one in impact.astray" :key="one.promotion">
              <NuxtLink :to="`/promotions/${one.promotion}`">{{ one.title }}</NuxtLink>
              leads nowhere then, and has to be asked for again.
            </li>
          </ul>
        </div>
        <Trouble :refusal="against" />
      </template>
      <div class="bar">
        <button type="button" class="ghost" @click="addStage()">Add a stage</button>
        <button v-if="dirty" type="button" class="ghost" @click="reset()">Undo</button>
        <button class="fill" :disabled="busy || !dirty || !!against">Save the stages</button>
      </div>
    </form>
    <h3>
      Hosts <small>{{ hosts.length }}</small>
    </h3>
    <table class="ruled">
      <tbody>
        <tr v-for="item in hosts" :key="item.name">
          <td class="mono">{{ item.name }}</td>
          <td>{{ item.stage }}</td>
          <td>{{ item.audiences.join(', ') }}</td>
          <td class="right">
            <button class="plain" :disabled="busy" @click="removeHost(item.name)">Remove</button>
          </td>
        </tr>
      </tbody>
    </table>
    <form class="bar" @submit.prevent="keepHost()">
      <InputText v-model="host.name" placeholder="api.example.org" aria-label="Host" />
      <select v-model="host.stage" aria-label="Stage of the host">
        <option value="" disabled>Stage</option>
        <option v-for="stage in stages" :key="stage.name">{{ stage.name }}</option>
      </select>
      <label v-for="audience in audiences" :key="audience" class="tick"
        ><input v-model="host.audiences" type="checkbox" :value="audience" /> {{ audience }}</label
      >
      <button class="ghost" :disabled="busy || !host.name || !host.stage">Set the host</button>
    </form>
  </div>
</template>

<style scoped>
.tick {
  margin-right: 10px;
  white-space: nowrap;
}
.right .plain + .plain {
  margin-left: 10px;
}
.plain:disabled {
  visibility: hidden;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
}
.impact {
  margin: 10px 0;
  padding-left: 18px;
}
td :deep(textarea) {
  width: 100%;
}
table + .bar {
  margin-top: 10px;
}
</style>
