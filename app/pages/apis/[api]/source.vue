<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import type { EstatePart } from '~~/core/rules/estate'
import type { ApiFacts, Edition, Finding, Fix } from '~~/core/rules/model'
import { formatNames } from '~~/core/contract/model'
import { takesOperations } from '~~/core/edit/operation'
import type { Syntax } from '~~/core/text/read'
import type { RevisionDetail } from '~~/shared/api/catalog'
import type { Rulebook } from '~~/shared/api/rules'

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
} = useLoad(() => api.getApi({ api: slug }), ['revision', 'placement', 'api', 'gateway', 'drift'])
const rulebook = shallowRef<Rulebook & Pick<Edition, 'rules'>>()
const surroundings = shallowRef<{ facts: ApiFacts; estate: EstatePart[] }>()
const revision = shallowRef<RevisionDetail>()
const line = ref(Number(route.query['line'] ?? 0))
const editor = ref<EditorHandle>()
const files = useSourceFiles(slug, () => editor.value?.current())
const { originals, edits, file, text, base, dirty, restored } = files
const tick = ref(0)
const { examination, checking, check, planned, suggested } = useCheck()
const { busy, refusal: saveRefusal, act } = useAct()
const saved = ref('')
const asked = computed(() => Number(route.query['revision'] ?? 0))
const locked = computed(() => asked.value !== 0 && asked.value !== detail.value?.latest.revision)

async function show(name: string, at = 1) {
  if (name !== file.value) {
    if (!locked.value) files.keepEdit()
    files.show(name)
    await nextTick()
    recheck(0)
  }
  editor.value?.goTo(at)
}

const loading = useAct()
async function load(number: number) {
  await loading.act(async () => {
    const [about, rules, known] = await Promise.all([
      api.getRevision({ api: slug, revision: number }),
      rulebook.value ?? api.getRulebook({ team: detail.value!.team }),
      api.getSurroundings({ api: slug }),
    ])
    rulebook.value = { ...rules, rules: rules.items }
    surroundings.value = known
    await files.open(number, about, String(route.query['file'] ?? ''), locked.value)
    revision.value = about
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

function editionNow() {
  const { edition: number, name, domain, words, groups, rules } = rulebook.value!
  return { number, name, domain, words, groups, rules }
}

function recheck(delay?: number) {
  check(files.now, editionNow(), surroundings.value!, delay)
}

function changed() {
  saved.value = ''
  recheck()
  files.changed()
}
onBeforeRouteLeave(async () => {
  if (dirty.value && editor.value) await files.store()
})

async function discard() {
  await files.forget()
  saveRefusal.value = undefined
  await load(detail.value!.latest.revision)
}

const clash = ref<{ theirs: string; mine: string; revision: number }>()
async function save() {
  if (locked.value || !dirty.value) return
  files.keepEdit()
  await saveFiles()
}

async function saveFiles() {
  const mine = files.textOf(file.value)
  const result = await act(async () => {
    const { body, query } = await files.payload()
    const ifMatch = `"revision-${base.value}"`
    return api.saveRevision({ api: slug, ...query }, body, { ifMatch })
  })
  if (result) {
    await files.forget()
    clash.value = undefined
    saved.value = `Saved as revision ${result.revision}.`
    base.value = result.revision
    await reload()
    const about = await api.getRevision({ api: slug, revision: result.revision })
    await files.open(result.revision, about, file.value, true)
    revision.value = about
  } else if (saveRefusal.value?.status === 412) {
    await files.store()
    await reload()
    const number = detail.value!.latest.revision
    const theirs = await files.fetch(number, await api.getRevision({ api: slug, revision: number }))
    clash.value = { theirs: theirs.get(file.value)?.text ?? '', mine, revision: number }
  }
}
async function saveMerged(merged: string) {
  base.value = clash.value!.revision
  clash.value = undefined
  saveRefusal.value = undefined
  files.write(new Map([[file.value, merged]]))
  await nextTick()
  await saveFiles()
}
async function takeTheirs() {
  clash.value = undefined
  await discard()
}

const adding = ref(false)
/** The formats an operation can be written into by the form. */
const writable = computed(() => {
  const format = formatNames.find((name) => detail.value?.latest.format.startsWith(`${name} `))
  return format && takesOperations(format) ? format : undefined
})
async function write(changed_: string, at: number) {
  adding.value = false
  await show(files.main.value)
  text.value = changed_
  await nextTick()
  changed()
  editor.value?.goTo(at)
}

/** The finding that is being fixed: what would change is shown first. */
const fixing = shallowRef<Finding>()
const ruleOf = (id: string) => rulebook.value?.rules.find((rule) => rule.id === id)
const planOf = (fix: Fix, keys: string[] | undefined) =>
  planned(files.now(), editionNow(), surroundings.value!, { rule: fixing.value!.rule, fix, keys })
async function writeFix(texts: { file: string; text: string }[]) {
  const at = fixing.value!.line
  fixing.value = undefined
  files.keepEdit()
  files.write(new Map(texts.map(({ file: name, text: fixed }) => [name, fixed])))
  await nextTick()
  changed()
  editor.value?.goTo(at)
}
function fixAt(at: number) {
  const here = findings.value.filter(
    ({ line: found, rule }) => found === at && (ruleOf(rule)?.fixes?.length ?? 0) > 0,
  )
  if (here[0] && !locked.value) fixing.value = here[0]
}
const notesAt = (at: number): LineNote[] => [
  ...diagnostics.value
    .filter((problem) => problem.line === at)
    .map(({ message }) => ({ level: 'MUST', message, reason: '', remedy: '' })),
  ...findings.value
    .filter((finding) => finding.line === at)
    .map(({ level, message, rule }) => {
      const { reason = '', remedy = '' } = ruleOf(rule) ?? {}
      return { level, message, reason, remedy }
    }),
]
function goToNext(from: number, step: 1 | -1) {
  const lines = [
    ...new Set([...findings.value, ...diagnostics.value].map((found) => found.line)),
  ].sort((a, b) => a - b)
  const next = step === 1 ? lines.find((at) => at > from) : lines.findLast((at) => at < from)
  const round = step === 1 ? lines[0] : lines.at(-1)
  if (next ?? round) go(next ?? round!)
}

const allFindings = computed(() => (examination.value?.readable ? examination.value.findings : []))
/** Of a text that can be read, departures from its specification are findings. */
const allProblems = computed(() =>
  examination.value?.readable === false ? examination.value.diagnostics : [],
)
const findings = computed(() => allFindings.value.filter((found) => found.file === file.value))
const diagnostics = computed(() => allProblems.value.filter((found) => found.file === file.value))
const told = computed(() => {
  const counts = new Map<string, number>()
  for (const { file: name } of [...allFindings.value, ...allProblems.value])
    counts.set(name, (counts.get(name) ?? 0) + 1)
  return counts
})
const marked = computed<LineTint[]>(() => [
  ...diagnostics.value.map(({ line: at }) => ({ line: at, level: 'MUST' })),
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
useEventListener(window, 'resize', measure)
watch([summary, saved, saveRefusal, restored], () => nextTick(measure))
const go = (at: number) => editor.value?.goTo(at)
const syntaxOf = (name: string, content: string): Syntax =>
  /^\uFEFF?\s*</.test(content) ? 'xml' : /\.json$/i.test(name) ? 'json' : 'yaml'
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
        <div class="side">
          <div v-if="originals.size > 1" class="files">
            <h6>{{ originals.size }} files</h6>
            <button
              v-for="name in originals.keys()"
              :key="name"
              :class="{ on: name === file }"
              :title="name"
              @click="show(name)"
            >
              <span>{{ name }}</span>
              <i v-if="edits.has(name)" title="changed">·</i>
              <b v-if="told.get(name)">{{ told.get(name) }}</b>
            </button>
          </div>
          <SourceOutline
            :summary="summary"
            :findings="allFindings"
            :file="file"
            :line="line"
            @go="(at, name) => show(name, at)"
          />
          <button
            v-if="writable && !locked"
            class="ghost add"
            :disabled="diagnostics.some(({ severity }) => severity === 'error')"
            @click="adding = true"
          >
            Add an operation
          </button>
        </div>
        <SourceEditor
          ref="editor"
          :text="text"
          :syntax="syntaxOf(file, text)"
          :locked="locked"
          :lines="marked"
          :suggest="(content, at) => suggested(file, content, at, syntaxOf(file, content))"
          :notes="notesAt"
          @change="changed"
          @moved="measure"
          @save="save"
          @cursor="line = $event"
          @fix="fixAt"
          @next="goToNext"
        />
      </div>
      <p v-else class="soft">Reading the source …</p>
    </template>
    <ClashDialog
      v-if="clash"
      :theirs="clash.theirs"
      :mine="clash.mine"
      :revision="clash.revision"
      :syntax="syntaxOf(file, clash.mine)"
      @close="clash = undefined"
      @theirs="takeTheirs"
      @merged="saveMerged"
    />
    <OperationDialog
      v-if="adding && writable"
      :text="editor?.current() ?? text ?? ''"
      :format="writable"
      :label="detail!.latest.format"
      :outline="revision!"
      @close="adding = false"
      @write="write"
    />
    <FixDialog
      v-if="fixing && ruleOf(fixing.rule)"
      :finding="fixing"
      :rule="ruleOf(fixing.rule)!"
      :alike="allFindings.filter(({ rule }) => rule === fixing!.rule).length"
      :plan="planOf"
      :before="files.textNow"
      @close="fixing = undefined"
      @write="writeFix"
    />
    <template #margin>
      <SourceMargin
        v-if="rulebook"
        :findings="findings"
        :diagnostics="diagnostics"
        :rules="rulebook.rules"
        :edition="rulebook.edition"
        :window="windowOf"
        :tick="tick"
        :offset="offset"
        :checking="checking"
        :locked="locked"
        @go="go"
        @fix="fixing = $event"
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
.side {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-right: 1px solid var(--rule);
  padding-top: 6px;
}
.side :deep(.outline) {
  flex: 1;
  border-right: 0;
}
.files {
  max-height: 30%;
  overflow: auto;
  border-bottom: 1px solid var(--rule);
  padding-bottom: 6px;
  margin-right: 8px;
}
.files h6 {
  margin: 4px 6px 3px;
  font: 600 10.5px var(--body);
  color: var(--soft);
}
.files button {
  display: flex;
  gap: 5px;
  width: 100%;
  border: 0;
  background: none;
  padding: 3px 6px;
  border-radius: 4px;
  cursor: pointer;
  font: 11.5px var(--mono);
  text-align: left;
}
.files button.on {
  background: var(--elm-wash);
}
.files span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  direction: rtl;
}
.files i {
  color: var(--ochre);
  font-weight: 700;
}
.files b {
  margin-left: auto;
  color: var(--slate);
  font-size: 10.5px;
}
.add {
  margin: 6px 8px 10px 0;
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
