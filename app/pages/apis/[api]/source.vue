<script setup lang="ts">
import { del, get, set as keep } from 'idb-keyval'
import type { Edition, Rule } from '~~/core/rules/model'
import type { ApiDetail, RevisionDetail, Rulebook, Saved } from '~~/shared/api/catalog'

interface Draft {
  text: string
  base: number
  at: string
}
interface EditorHandle {
  current(): string
  window(): { first: number; last: number; top: (line: number) => number }
  goTo(line: number): void
}

const route = useRoute()
const slug = String(route.params['api'])
const {
  data: detail,
  refusal,
  reload,
} = useLoad(
  () => api.get<ApiDetail>(`/apis/${slug}`),
  ['revision', 'placement', 'api', 'gateway', 'drift'],
)
const rulebook = shallowRef<Rulebook & Pick<Edition, 'rules'>>()
const revision = shallowRef<RevisionDetail>()
const text = ref<string>()
const base = ref(0)
const dirty = ref(false)
const restored = ref<Draft>()
const line = ref(Number(route.query['line'] ?? 0))
const editor = ref<EditorHandle>()
const tick = ref(0)
const { examination, checking, check } = useCheck()
const { busy, refusal: saveRefusal, act } = useAct()
const saved = ref('')
const asked = computed(() => Number(route.query['revision'] ?? 0))
const locked = computed(() => asked.value !== 0 && asked.value !== detail.value?.latest.revision)
const draftKey = `draft:${slug}`

const loading = useAct()
async function load(number: number) {
  await loading.act(async () => {
    const [about, source, rules] = await Promise.all([
      api.get<RevisionDetail>(`/apis/${slug}/revisions/${number}`),
      api.text(`/apis/${slug}/revisions/${number}/text`),
      rulebook.value ?? api.get<Rulebook>('/rulebook'),
    ])
    rulebook.value = { ...rules, rules: rules.items as Rule[] }
    revision.value = about
    base.value = number
    const draft = locked.value ? undefined : await get<Draft>(draftKey)
    restored.value = draft && draft.text !== source.text ? draft : undefined
    text.value = restored.value?.text ?? source.text
    base.value = restored.value?.base ?? number
    dirty.value = restored.value !== undefined
    await nextTick()
    recheck(0)
    setTimeout(() => line.value && editor.value?.goTo(line.value), 60)
  })
}
watch(detail, (now) => now && !revision.value && void load(asked.value || now.latest.revision), {
  immediate: true,
})
watch(asked, (number) => void load(number || detail.value!.latest.revision))
const newer = computed(() =>
  detail.value && !locked.value && detail.value.latest.revision > base.value
    ? detail.value.latest
    : undefined,
)

function recheck(delay?: number) {
  const { edition: number, domain, rules } = rulebook.value!
  const { team, audience } = detail.value!
  check(
    () => editor.value?.current() ?? text.value!,
    revision.value!.file,
    { number, domain, rules },
    { team, audience },
    delay,
  )
}

let keeping: ReturnType<typeof setTimeout> | undefined
const storeDraft = () =>
  keep(draftKey, {
    text: editor.value!.current(),
    base: base.value,
    at: new Date().toISOString(),
  } satisfies Draft)
function changed() {
  dirty.value = true
  saved.value = ''
  recheck()
  clearTimeout(keeping)
  keeping = setTimeout(() => void storeDraft(), 300)
}
onBeforeRouteLeave(async () => {
  if (dirty.value && editor.value) await storeDraft()
})

async function discard() {
  clearTimeout(keeping)
  await del(draftKey)
  restored.value = undefined
  saveRefusal.value = undefined
  await load(detail.value!.latest.revision)
}

const clash = ref<{ theirs: string; mine: string; revision: number }>()
async function save() {
  if (locked.value || !dirty.value) return
  await saveText(editor.value!.current())
}
async function saveText(mine: string) {
  const result = await act(() =>
    api.post<Saved>(`/apis/${slug}/revisions`, undefined, {
      text: mine,
      headers: { 'If-Match': `"revision-${base.value}"` },
    }),
  )
  if (result) {
    clearTimeout(keeping)
    await del(draftKey)
    restored.value = undefined
    clash.value = undefined
    dirty.value = false
    text.value = mine
    saved.value = `Saved as revision ${result.revision}.`
    base.value = result.revision
    await reload()
    revision.value = await api.get<RevisionDetail>(`/apis/${slug}/revisions/${result.revision}`)
  } else if (saveRefusal.value?.status === 412) {
    await storeDraft()
    await reload()
    const number = detail.value!.latest.revision
    const theirs = await api.text(`/apis/${slug}/revisions/${number}/text`)
    clash.value = { theirs: theirs.text, mine, revision: number }
  }
}
async function saveMerged(merged: string) {
  base.value = clash.value!.revision
  clash.value = undefined
  saveRefusal.value = undefined
  text.value = merged
  dirty.value = true
  await nextTick()
  await saveText(merged)
}
async function takeTheirs() {
  clash.value = undefined
  await discard()
}

const findings = computed(() => (examination.value?.readable ? examination.value.findings : []))
const problems = computed(() => examination.value?.problems ?? [])
const marked = computed<LineTint[]>(() => [
  ...problems.value.map(({ line: at }) => ({ line: at, level: 'MUST' })),
  ...findings.value.map(({ line: at, level }) => ({ line: at, level })),
])
type Outlined = Pick<RevisionDetail, 'operations' | 'schemas' | 'webhooks'>
const summary = shallowRef<Outlined>()
watch([revision, examination], () => {
  if (examination.value?.readable) summary.value = examination.value.summary
  else summary.value ??= revision.value
})
const windowOf = () => editor.value?.window() ?? { first: 1, last: 1, top: () => 0 }
const offset = ref(0)
const bench = ref<HTMLElement>()
const measure = () => {
  const margin = document.getElementById('margin')
  if (bench.value && margin)
    offset.value = bench.value.getBoundingClientRect().top - margin.getBoundingClientRect().top
  tick.value++
}
onMounted(() => window.addEventListener('resize', measure))
onUnmounted(() => window.removeEventListener('resize', measure))
watch([summary, saved, saveRefusal, restored], () => nextTick(measure))
const go = (at: number) => editor.value?.goTo(at)
</script>

<template>
  <Leaf flush>
    <Trouble :refusal="refusal" />
    <template v-if="detail">
      <ApiHead :detail="detail">
        <span v-if="saved" class="soft state" role="status">{{ saved }}</span>
        <span v-else-if="dirty" class="soft state">Not saved; kept in this browser</span>
        <NuxtLink v-if="locked" class="ghost" :to="`/apis/${slug}/source`"
          >Go to revision {{ detail.latest.revision }}</NuxtLink
        >
        <template v-else>
          <button v-if="dirty" class="ghost" @click="discard()">Discard</button>
          <button class="fill save" :disabled="!dirty || busy" @click="save()">
            {{ busy ? 'Saving …' : `Save as revision ${detail.latest.revision + 1}` }}
          </button>
        </template>
      </ApiHead>
      <div class="said">
        <Trouble v-if="saveRefusal?.status !== 412" :refusal="saveRefusal" />
        <p v-if="restored" class="good" role="status">
          Your unsaved text of {{ moment(restored.at) }} is back; it was written on revision
          {{ restored.base }}.
        </p>
        <p v-if="newer && dirty" class="trouble">
          {{ newer.savedBy }} saved revision {{ newer.revision }} meanwhile. Saving will show both
          texts side by side.
        </p>
        <p v-if="locked" class="good">
          Revision {{ asked }} of {{ moment(revision?.savedAt ?? detail.latest.savedAt) }}, as it
          was saved. It cannot be changed.
        </p>
      </div>
      <Trouble :refusal="loading.refusal.value" />
      <div v-if="text !== undefined && summary" ref="bench" class="bench">
        <SourceOutline :summary="summary" :findings="findings" :line="line" @go="go" />
        <SourceEditor
          ref="editor"
          :text="text"
          :syntax="revision!.syntax"
          :locked="locked"
          :lines="marked"
          @change="changed"
          @moved="measure"
          @save="save"
          @cursor="line = $event"
        />
      </div>
      <p v-else class="soft">Reading the source …</p>
    </template>
    <ClashDialog
      v-if="clash"
      :theirs="clash.theirs"
      :mine="clash.mine"
      :revision="clash.revision"
      :syntax="revision!.syntax"
      @close="clash = undefined"
      @theirs="takeTheirs"
      @merged="saveMerged"
    />
    <template #margin>
      <SourceMargin
        v-if="rulebook"
        :findings="findings"
        :problems="problems"
        :rules="rulebook.rules"
        :edition="rulebook.edition"
        :window="windowOf"
        :tick="tick"
        :offset="offset"
        :checking="checking"
        @go="go"
      />
    </template>
  </Leaf>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template-columns: 200px minmax(0, 1fr);
  flex: 1;
  min-height: 0;
}
.said {
  padding-right: 22px;
}
.state {
  align-self: center;
  font-size: 12px;
}
:deep(.head) {
  padding-right: 22px;
}
</style>
