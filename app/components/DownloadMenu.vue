<script setup lang="ts">
import type { PlacementItem } from '~~/shared/api/placements'
import type { Converted, ConversionRequest } from '~~/shared/api/reading'

/** A revision to download: as it was written, as one document, or in another format. */
const props = defineProps<{ slug: string; revision: number; format: string }>()
const open = ref(false)
const to = ref<ConversionRequest['to']>('bundle')
const dereference = ref(false)
const syntax = ref<'yaml' | 'json'>('yaml')
/** Whose backends are named in it. */
const placement = ref('')
const placements = shallowRef<PlacementItem[]>([])
watch(open, async (now) => {
  if (now) placements.value = (await api.listPlacements({ api: props.slug })).items
})
const result = shallowRef<Converted>()
const { busy, refusal, act } = useAct()
const place = computed(() => ({ api: props.slug, revision: props.revision }))

const targets = computed(() => [
  { value: 'bundle', label: `One ${props.format} document` },
  { value: 'openapi-3.2', label: 'OpenAPI 3.2' },
  { value: 'openapi-3.1', label: 'OpenAPI 3.1' },
  { value: 'openapi-3.0', label: 'OpenAPI 3.0' },
  { value: 'swagger-2.0', label: 'Swagger 2.0' },
  { value: 'raml-1.0', label: 'RAML 1.0' },
])
watch([to, dereference, syntax, placement, open], () => (result.value = undefined))

async function convert() {
  result.value = await act(() =>
    api.convertRevision(place.value, {
      to: to.value,
      dereference: dereference.value,
      syntax: syntax.value,
      ...(placement.value && { placement: placement.value }),
    }),
  )
  if (result.value) offer(result.value.text, result.value.file)
}
const originals = () =>
  act(async () => {
    const answer = await api.raw.getArchive(place.value)
    offer(await answer.blob(), `${props.slug}-revision-${props.revision}.zip`)
  })
</script>

<template>
  <button class="ghost" @click="open = true">Download</button>
  <Dialog v-model:visible="open" modal header="Download" :style="{ width: '560px' }">
    <h3>As it was written</h3>
    <p>
      <button class="ghost" :disabled="busy" @click="originals()">
        Original files, byte for byte
      </button>
    </p>
    <h3>Converted</h3>
    <form class="asked" @submit.prevent="convert()">
      <select v-model="to" aria-label="Format">
        <option v-for="target in targets" :key="target.value" :value="target.value">
          {{ target.label }}
        </option>
      </select>
      <select v-model="syntax" aria-label="Written as" :disabled="to === 'raml-1.0'">
        <option value="yaml">YAML</option>
        <option value="json">JSON</option>
      </select>
      <label><input v-model="dereference" type="checkbox" /> every reference written out</label>
      <label v-if="placements.length">
        naming the backends of
        <select v-model="placement">
          <option value="">none</option>
          <option v-for="item in placements" :key="item.id" :value="item.id">
            {{ item.version }} in {{ item.stage }}
          </option>
        </select>
      </label>
      <button class="fill" :disabled="busy">{{ busy ? 'Writing …' : 'Write and save' }}</button>
    </form>
    <Trouble :refusal="refusal" />
    <template v-if="result">
      <p v-if="!result.losses.length" class="good" role="status">
        {{ result.file }} says everything that this revision says.
      </p>
      <template v-else>
        <p class="trouble" role="status">
          {{ result.file }} could not hold {{ count(result.losses.length, 'thing') }}:
        </p>
        <ul class="losses">
          <li v-for="(loss, i) in result.losses.slice(0, 200)" :key="i">
            <NuxtLink
              class="plain"
              :to="{ path: `/apis/${slug}/source`, query: { file: loss.file, line: loss.line } }"
              >{{ loss.file }}:{{ loss.line }}</NuxtLink
            >
            {{ loss.message }}
          </li>
        </ul>
      </template>
    </template>
  </Dialog>
</template>

<style scoped>
.asked {
  display: flex;
  flex-wrap: wrap;
  gap: 9px;
  align-items: center;
}
.losses {
  max-height: 260px;
  overflow: auto;
  padding-left: 16px;
  font-size: 12.5px;
}
</style>
