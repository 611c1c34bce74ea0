<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import type { PipelineDetail, PipelineImpact } from '~~/shared/api/promotions'
import { useSession } from '~/stores/session'

/** A pipeline as a text, with what it would change, and its editions. */
const session = useSession()
const slug = String(useRoute('promotions-pipelines-pipeline').params.pipeline)
const isNew = slug === 'new'
const locked = computed(() => session.person?.role !== 'governance')
const detail = shallowRef<PipelineDetail>()
const etag = ref('')
const title = ref('')
const note = ref('')
const text = ref('')
const shownText = ref('')
const restored = ref(false)
const loading = useAct()
const saving = useAct()
const local = useLocalDraft<string>(() => `pipeline:${slug}`)
const published = computed(() => detail.value?.text ?? '')
const dirty = computed(() => text.value !== published.value)

async function load() {
  await loading.act(async () => {
    if (!isNew) {
      const response = await api.raw.getPipeline({ pipeline: slug })
      detail.value = await response.json()
      etag.value = stateOf(response)
      title.value = detail.value.title
    }
    const kept = await local.kept()
    restored.value = kept !== undefined && kept !== published.value
    write((restored.value ? kept : undefined) ?? (isNew ? beginning : published.value))
  })
}
void load()

function write(now: string) {
  shownText.value = now
  text.value = now
  measure()
}
interface EditorHandle {
  current(): string
  goTo(line: number): void
}
const editor = ref<EditorHandle>()
const { filters, set } = useFilters(['view'] as const)
const isText = computed(() => filters.value.view === 'text')
async function goTo(line: number) {
  await show('text')
  await nextTick()
  editor.value?.goTo(line)
}
function show(view: '' | 'text') {
  shownText.value = text.value
  return set({ view })
}
/** What the form changes stands in the text when that is opened. */
function formed(now: string) {
  shownText.value = now
  text.value = now
  changed()
}
function typed() {
  text.value = editor.value?.current() ?? text.value
  changed()
}
function changed() {
  local.keepSoon(() => (dirty.value ? text.value : undefined))
  measureSoon()
}

const impact = shallowRef<PipelineImpact>()
const { act: judge, refusal: unjudged } = useLatest()
const measure = () =>
  void judge(
    () => api.checkPipeline({}, { ...(!isNew && { pipeline: slug }), text: text.value }),
    (found) => (impact.value = found),
  )
const measureSoon = useDebounceFn(measure, 400)
const faults = computed(() => impact.value?.diagnostics ?? [])
const isWrong = computed(() => faults.value.some(({ severity }) => severity === 'error'))
const tints = computed(() =>
  faults.value.map(({ line, severity }) => ({
    ...{ line, level: severity === 'error' ? 'MUST' : 'SHOULD' },
  })),
)

async function publish() {
  const body = { title: title.value, text: text.value, note: note.value }
  const made = await saving.act(() =>
    isNew
      ? api.createPipeline({}, body)
      : api.publishPipeline({ pipeline: slug }, body, { ifMatch: etag.value }),
  )
  if (!made) return
  await local.forget()
  note.value = ''
  if (isNew) await navigateTo(`/promotions/pipelines/${made.pipeline}`)
  else await load()
}
async function discard() {
  await local.forget()
  restored.value = false
  write(published.value)
}
const removing = ref(false)
async function remove() {
  const done = await saving.act(async () => {
    await api.removePipeline({ pipeline: slug })
    return true
  })
  removing.value = false
  if (!done) return
  await local.forget()
  await navigateTo('/promotions/pipelines')
}
const passed = (gates: PipelineImpact['promotions'][number]['now']) =>
  `${gates.filter(({ state }) => state === 'passed').length} of ${gates.length}`
</script>

<template>
  <Leaf flush>
    <div class="top">
      <h1>{{ isNew ? 'New pipeline' : title }}</h1>
      <Leaves :leaves="promotionLeaves">
        <div class="views" role="tablist" aria-label="How it is written">
          <button
            v-for="[view, label] in [
              ['', 'Form'],
              ['text', 'Text'],
            ] as const"
            :key="view"
            role="tab"
            class="ghost"
            :aria-selected="isText === (view === 'text')"
            @click="show(view)"
          >
            {{ label }}
          </button>
        </div>
        <button v-if="!isNew && !locked" class="ghost" @click="removing = true">Remove</button>
      </Leaves>
      <Trouble :refusal="loading.refusal.value" />
      <p v-if="restored" class="good" role="status">
        Your unpublished text is back.
        <button class="plain" @click="discard()">Take what is in force instead</button>
      </p>
    </div>
    <div v-if="!isText && shownText" class="form">
      <PromotionPipelineForm :text="text" :locked="locked" @change="formed($event)" />
    </div>
    <SourceEditor
      v-else-if="shownText"
      ref="editor"
      :text="shownText"
      syntax="yaml"
      :locked="locked"
      :lines="tints"
      label="Text of the pipeline"
      @change="typed()"
    />
    <template #margin>
      <Faults v-if="faults.length" :faults="faults" @open="goTo($event)" />
      <template v-if="impact && !isWrong">
        <h2>What it would change</h2>
        <p
          v-if="!impact.coming.length && !impact.leaving.length && !impact.promotions.length"
          class="soft"
        >
          Nothing, for the APIs and promotions there are now.
        </p>
        <template v-if="impact.coming.length">
          <h3>
            Come to it <small>{{ count(impact.coming.length, 'API', 'APIs') }}</small>
          </h3>
          <ApiNames :apis="impact.coming" />
        </template>
        <template v-if="impact.leaving.length">
          <h3>
            Leave it <small>{{ count(impact.leaving.length, 'API', 'APIs') }}</small>
          </h3>
          <ApiNames :apis="impact.leaving" />
        </template>
        <template v-for="effect in impact.promotions" :key="effect.promotion">
          <h3>
            <NuxtLink :to="`/promotions/${effect.promotion}`">{{ effect.title }}</NuxtLink>
            <small>{{ passed(effect.now) }} → {{ passed(effect.then) }}</small>
          </h3>
          <Gates :gates="effect.then" />
        </template>
      </template>
      <Trouble :refusal="unjudged" />
      <template v-if="!locked">
        <h3>
          Publish <small v-if="detail">edition {{ detail.edition }} is in force</small>
        </h3>
        <label class="field"
          ><span>What it is called</span><InputText v-model="title" maxlength="100"
        /></label>
        <label class="field"
          ><span>What changes, and why</span><Textarea v-model="note" rows="2" maxlength="2000"
        /></label>
        <button
          class="fill"
          :disabled="
            isWrong ||
            title.trim() === '' ||
            note.trim().length < 5 ||
            saving.busy.value ||
            (!isNew && !dirty && title === detail?.title)
          "
          @click="publish()"
        >
          Publish as edition {{ (detail?.edition ?? 0) + 1 }}
        </button>
        <Trouble :refusal="saving.refusal.value" />
      </template>
      <template v-if="detail">
        <h3>Editions</h3>
        <div v-for="edition in detail.editions" :key="edition.edition" class="pair">
          <span
            >{{ edition.edition }}. {{ edition.note }}
            <small class="soft">{{ edition.publishedBy }}</small></span
          ><b>{{ moment(edition.publishedAt) }}</b>
        </div>
      </template>
      <Dialog v-model:visible="removing" modal header="Remove it" :style="{ width: '460px' }">
        <p>
          Versions of {{ count(detail?.apis.length ?? 0, 'API', 'APIs') }} take another pipeline
          from then on. What was promoted by it stays as it is.
        </p>
        <template #footer>
          <button class="ghost" @click="removing = false">Cancel</button>
          <button class="fill" :disabled="saving.busy.value" @click="remove()">Remove</button>
        </template>
      </Dialog>
    </template>
  </Leaf>
</template>

<style scoped>
.views {
  display: inline-flex;
  gap: 8px;
  margin-right: 8px;
}
.views [aria-selected='true'] {
  background: var(--faint);
  font-weight: 620;
}
.form {
  flex: 1;
  min-height: 0;
  overflow: auto;
  padding-right: 22px;
}
.top {
  padding-right: 22px;
  flex: none;
}
</style>
