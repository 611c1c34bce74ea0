<script setup lang="ts">
import type { IssuedEvidenceSource } from '~~/shared/api/outside'

/** Who may post results from outside, and the acts that let them and stop them. */
const { mayWrite } = defineProps<{ mayWrite: boolean }>()
const { data, refusal, reload } = useLoad(() => api.listEvidenceSources(), ['pipeline', 'api'])
const { data: results } = useLoad(() => api.listOutsideResults({ limit: 200 }), ['api', 'pipeline'])
const { busy, refusal: refused, act } = useAct()
const adding = ref(false)
const title = ref('')
const issued = shallowRef<IssuedEvidenceSource>()
async function add() {
  const made = await act(() => api.createEvidenceSource({}, { title: title.value.trim() }))
  if (!made) return
  issued.value = made
  adding.value = false
  title.value = ''
  await reload()
}
const removing = ref('')
async function remove() {
  const source = removing.value
  removing.value = ''
  await act(() => api.removeEvidenceSource({ source }))
  await reload()
}
const lastOf = (source: string) => results.value?.items.find((result) => result.source === source)
const address = (source: string) =>
  `${globalThis.location.origin}/api/v1/evidence-sources/${source}/results`
</script>

<template>
  <section>
    <h3>
      Results from outside
      <small>{{ count(data?.items.length ?? 0, 'source') }}</small>
    </h3>
    <Trouble :refusal="refusal ?? refused" />
    <div v-if="issued" class="good" role="status">
      <p>
        {{ issued.title }} signs its messages with this secret, which is shown this once (Standard
        Webhooks 1.0):
      </p>
      <p class="mono secret">{{ issued.secret }}</p>
      <p>
        It posts <code>{"api": …, "version": …, "result": "passed", "says": …}</code> to
        <code>{{ address(issued.source) }}</code>, and the gate
        <code>outside: { sources: [{{ issued.source }}] }</code> asks for it.
      </p>
      <button class="plain" @click="issued = undefined">I have kept it</button>
    </div>
    <p v-if="data && !data.items.length" class="soft">
      No build, scanner or load test posts results yet. One that does can stand before a stage.
    </p>
    <table v-else-if="data" class="ruled">
      <thead>
        <tr>
          <th>Source</th>
          <th>In pipelines</th>
          <th class="right">Results</th>
          <th>Last result</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in data.items" :key="item.source">
          <td>{{ item.title }}</td>
          <td class="mono">{{ item.source }}</td>
          <td class="right mono">{{ figure(item.results) }}</td>
          <td>
            <template v-if="lastOf(item.source)">
              <span :class="lastOf(item.source)!.result === 'passed' ? 'elm-text' : 'copper-text'"
                >{{ lastOf(item.source)!.result === 'passed' ? '✓' : '✕' }}
                {{ lastOf(item.source)!.api }} {{ lastOf(item.source)!.version }}</span
              >
              <div class="soft small">
                {{ lastOf(item.source)!.says }}, {{ ago(lastOf(item.source)!.at) }}
              </div>
            </template>
            <span v-else class="soft">none yet</span>
          </td>
          <td class="right">
            <button v-if="mayWrite" class="plain" @click="removing = item.source">Remove</button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="mayWrite"><button class="ghost" @click="adding = true">Add a source</button></p>
    <Dialog v-model:visible="adding" modal header="Add a source" :style="{ width: '420px' }">
      <label class="field"
        ><span>What it is called</span
        ><InputText v-model="title" maxlength="80" placeholder="Load tests"
      /></label>
      <template #footer
        ><button class="ghost" @click="adding = false">Cancel</button
        ><button class="fill" :disabled="busy || !title.trim()" @click="add()">
          Add
        </button></template
      >
    </Dialog>
    <Dialog
      :visible="removing !== ''"
      modal
      header="Remove the source"
      :style="{ width: '420px' }"
      @update:visible="removing = ''"
    >
      <p>
        What it posted is not believed any more, and gates that ask for it stay shut. The ledger
        keeps what it said.
      </p>
      <template #footer
        ><button class="ghost" @click="removing = ''">Cancel</button
        ><button class="fill" :disabled="busy" @click="remove()">Remove</button></template
      >
    </Dialog>
  </section>
</template>

<style scoped>
.secret {
  overflow-wrap: anywhere;
}
</style>
