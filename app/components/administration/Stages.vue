<script setup lang="ts">
import { audiences } from '~~/shared/words'
import type { HostItem, StageItem } from '~~/shared/api/administration'

/** The stages in order, where their backends may be, and the hosts that belong to them. */
const props = defineProps<{ stages: StageItem[]; hosts: HostItem[] }>()
const session = useSession()
const { busy, refusal, act } = useAct()

const written = ref<StageItem[]>([])
watch(
  () => props.stages,
  (stages) => (written.value = structuredClone(toRaw(stages).map(toRaw))),
  { immediate: true },
)
const keepStages = () =>
  act(async () => {
    await api.updateStages({}, { stages: written.value })
    await session.refresh()
  })
const addStage = () =>
  written.value.push({
    name: '',
    schemes: ['https'],
    backendHosts: ['*'],
    networks: ['10.0.0.0/8'],
  })

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
            <td class="right">
              <button type="button" class="plain" @click="written.splice(index, 1)">Remove</button>
            </td>
          </tr>
        </tbody>
      </table>
      <div class="bar">
        <button type="button" class="ghost" @click="addStage()">Add a stage</button>
        <button class="fill" :disabled="busy">Save the stages</button>
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
td :deep(textarea) {
  width: 100%;
}
table + .bar {
  margin-top: 10px;
}
</style>
