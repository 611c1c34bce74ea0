<script setup lang="ts">
import {
  addRule,
  changeRule,
  changeSamples,
  freeRuleId,
  lineOfRule,
  removeRule,
  type RuleFields,
} from '~~/core/rules/draft'
import { EditFault } from '~~/core/edit/change'
import type { RuleDifference } from '~~/core/rules/changes'
import type { EditionItem, Rulebook, RulebookDraft } from '~~/shared/api/rules'
import { useSession } from '~/stores/session'

const session = useSession()
const { filters, set } = useFilters(['rulebook', 'rule', 'view'] as const)
const slug = computed(() => filters.value.rulebook || 'house')
const asText = computed(() => filters.value.view === 'text')
const { data: books, reload: reloadBooks } = useLoad(() => api.listRulebooks(), ['rulebook'])
const house = shallowRef<Rulebook>()
const draft = shallowRef<RulebookDraft>()
const etag = ref('')
const text = ref('')
const saved = ref('')
const refusalOf = useAct()
const locked = computed(() => session.person?.role !== 'governance')
const { answer, reading, read } = useRulebookText()

async function load() {
  await refusalOf.act(async () => {
    house.value ??= await api.getRulebook()
    const answer = await api.raw.getRulebookDraft({ rulebook: slug.value })
    draft.value = (await answer.json()) as RulebookDraft
    etag.value = stateOf(answer)
    saved.value = draft.value.text
    const kept = await local.kept()
    restored.value = kept && kept.text !== saved.value ? kept : undefined
    if (restored.value) etag.value = restored.value.etag
    text.value = restored.value?.text ?? saved.value
    shownText.value = text.value
    recheck(0)
  })
}
onMounted(load)
watch(slug, load)

function recheck(delay?: number) {
  read(
    {
      text: text.value,
      rule: undefined,
      base: { domain: house.value?.domain ?? '', words: house.value?.words ?? [] },
    },
    delay,
  )
}

const book = computed(() => answer.value?.reading.rulebook)
const diagnostics = computed(() => answer.value?.reading.diagnostics ?? [])
/** The rules as they stand, those among them whose expressions are at fault. */
const rules = computed(() => [
  ...(book.value?.rules ?? []),
  ...(answer.value?.reading.faulty ?? []),
])
const isFaulty = (id: string) =>
  answer.value?.reading.faulty.some((rule) => rule.id === id) ?? false
/** A team's rules may stand in the groups of the organisation, too. */
const groups = computed(() => {
  const own = book.value?.groups ?? []
  const known = new Set(own.map(({ id }) => id))
  const others = slug.value === 'house' ? [] : (house.value?.groups ?? [])
  return [...own, ...others.filter(({ id }) => !known.has(id))]
})
const words = ref('')
const listed = computed(() =>
  groups.value
    .map((group) => ({
      ...group,
      rules: rules.value.filter(
        (rule) =>
          rule.group === group.id &&
          `${rule.id} ${rule.title}`.toLowerCase().includes(words.value.toLowerCase()),
      ),
    }))
    .filter(({ rules }) => rules.length > 0),
)
const current = computed(
  () => rules.value.find(({ id }) => id === filters.value.rule) ?? rules.value[0],
)
const titles = computed(
  () =>
    new Map([...(house.value?.items ?? []), ...rules.value].map(({ id, title }) => [id, title])),
)
const list = ref<HTMLElement>()
watch(
  () => current.value?.id,
  () => nextTick(() => list.value?.querySelector('.on')?.scrollIntoView({ block: 'nearest' })),
)
const wrongSamples = (id: string) =>
  (answer.value?.samples[id] ?? []).filter(({ wrong }) => wrong !== undefined).length
const samples = computed(() => answer.value?.samples[current.value?.id ?? ''] ?? [])
const dirty = computed(() => text.value !== saved.value)

/** The form writes into the text; what cannot be written so is said. */
const formFault = ref('')
const shownText = ref('')
function write(change: (text: string) => string) {
  formFault.value = ''
  try {
    text.value = change(text.value)
    shownText.value = text.value
    recheck()
  } catch (error) {
    if (!(error instanceof EditFault)) throw error
    formFault.value = error.message
  }
}
const change = (fields: RuleFields) => write((now) => changeRule(now, current.value!.id, fields))
function add() {
  const id = freeRuleId(text.value)
  write((now) =>
    addRule(now, {
      id,
      group: current.value?.group ?? groups.value[0]?.id ?? 'naming',
      level: 'MAY',
      title: 'Say what is asked in one line',
      about: 'operation',
      expect: 'operation.summary != ""',
      message: 'Say what is wrong with {operation.name}',
      reason: 'Say why it is asked.',
    }),
  )
  void set({ rule: id, view: '' })
}
function remove() {
  const { id } = current.value!
  write((now) => removeRule(now, id))
  void set({ rule: '' })
}

interface EditorHandle {
  current(): string
  goTo(line: number): void
}
const editor = ref<EditorHandle>()
/** The editor comes a moment after it is asked for, and then goes to the line that is wanted. */
const wanted = ref<number>()
watch(
  [editor, wanted],
  ([shown, line]) => {
    if (!shown || line === undefined) return
    shown.goTo(line)
    wanted.value = undefined
  },
  { flush: 'post' },
)
function showText(line: number) {
  wanted.value = line
  void set({ view: 'text' })
}
function turnOver() {
  if (asText.value) void set({ view: '' })
  else showText(current.value ? lineOfRule(text.value, current.value.id) : 1)
}
function typed() {
  text.value = editor.value!.current()
  recheck()
}
const tints = computed(() => diagnostics.value.map(({ line }) => ({ line, level: 'MUST' })))

const saving = useAct()
async function save() {
  const result = await saving.act(() =>
    api.raw.replaceRulebookDraft(
      { rulebook: slug.value },
      { text: text.value },
      { ifMatch: etag.value },
    ),
  )
  if (!result) return false
  draft.value = (await result.json()) as RulebookDraft
  etag.value = stateOf(result)
  saved.value = text.value
  restored.value = undefined
  await store()
  await reloadBooks()
  return true
}
const note = ref('')
const published = ref<EditionItem>()
async function publish() {
  if (dirty.value && !(await save())) return
  published.value = await saving.act(() =>
    api.publishEdition({ rulebook: slug.value }, { note: note.value }, { ifMatch: etag.value }),
  )
  if (published.value) {
    note.value = ''
    house.value = undefined
    await load()
  }
}
async function begin(team: string) {
  const made = await saving.act(() => api.createRulebook({}, { team }))
  if (!made) return
  await reloadBooks()
  await set({ rulebook: made.rulebook, rule: '' })
}
const without = computed(() => {
  const taken = new Set(books.value?.items.map(({ team }) => team))
  return (session.shell?.teams ?? []).filter((team) => !taken.has(team))
})
const differences = computed<RuleDifference['says'][]>(() => draft.value?.changes ?? [])
async function show(shown: boolean) {
  const result = await saving.act(() => api.updateRulebook({ rulebook: slug.value }, { shown }))
  if (result) draft.value = result
}

/** What is written and not saved is kept in this browser, with the state it was written on. */
interface Kept {
  text: string
  etag: string
  at: string
}
const local = useLocalDraft<Kept>(() => `rulebook:${slug.value}`)
const restored = ref<Kept>()
const unsaved = (): Kept | undefined =>
  dirty.value ? { text: text.value, etag: etag.value, at: new Date().toISOString() } : undefined
watch(text, () => draft.value && local.keepSoon(unsaved))
async function store() {
  if (draft.value) await local.keep(unsaved)
}
onBeforeRouteLeave(store)
async function discard() {
  await local.forget()
  saving.refusal.value = undefined
  await load()
}
/** Somebody else saved in between; what they saved is the text's older state from then on. */
async function saveOver() {
  etag.value = stateOf(await api.raw.getRulebookDraft({ rulebook: slug.value }))
  await save()
}
</script>

<template>
  <Leaf flush>
    <div class="top">
      <h1>Rulebook</h1>
      <Leaves :leaves="rulebookLeaves">
        <select
          v-if="(books?.items.length ?? 0) > 0"
          class="which"
          :value="slug"
          aria-label="Rulebook"
          @change="set({ rulebook: textOf($event), rule: '' })"
        >
          <option v-for="item in books!.items" :key="item.rulebook" :value="item.rulebook">
            {{ item.title }}
          </option>
        </select>
        <button class="ghost" @click="turnOver()">
          {{ asText ? 'As a form' : 'As text' }}
        </button>
        <button class="fill" :disabled="!dirty || saving.busy.value || locked" @click="save()">
          {{ dirty ? 'Save the draft' : 'Saved' }}
        </button>
      </Leaves>
      <Trouble :refusal="refusalOf.refusal.value" />
      <Trouble :refusal="saving.refusal.value" />
      <div v-if="saving.refusal.value?.status === 412" class="bar">
        <button class="ghost" @click="discard()">Take what they saved</button>
        <button class="ghost" @click="saveOver()">Save mine in its place</button>
      </div>
      <p v-if="restored" class="good" role="status">
        Your unsaved text of {{ moment(restored.at) }} is back.
        <button class="plain" @click="discard()">Take the saved draft instead</button>
      </p>
      <p v-if="published" class="good" role="status">
        Edition {{ published.edition }} is in force. The register is being checked against it.
      </p>
      <p v-if="formFault" class="trouble">{{ formFault }}. Change it in the text.</p>
    </div>
    <div v-if="book" class="bench">
      <div class="side">
        <input
          v-model="words"
          class="p-inputtext narrow"
          type="search"
          placeholder="Filter rules"
          aria-label="Filter rules"
        />
        <div ref="list" class="list">
          <template v-for="group in listed" :key="group.id">
            <h6>{{ group.title }}</h6>
            <button
              v-for="rule in group.rules"
              :key="rule.id"
              :class="{ on: rule.id === current?.id }"
              :title="rule.title"
              @click="set({ rule: rule.id })"
            >
              <i class="level" :class="rule.level">{{ rule.level }}</i>
              <span>{{ rule.title }}</span>
              <b v-if="isFaulty(rule.id)" title="It cannot be applied as it is written">!</b>
              <b v-else-if="wrongSamples(rule.id)" title="Samples that are not as they should be">{{
                wrongSamples(rule.id)
              }}</b>
            </button>
          </template>
          <p v-if="!listed.length" class="soft none">No rules yet.</p>
        </div>
        <button v-if="!locked" class="ghost add" @click="add()">Add a rule</button>
      </div>
      <SourceEditor
        v-if="asText"
        ref="editor"
        :text="shownText"
        syntax="yaml"
        :locked="locked"
        :lines="tints"
        label="Text of the rulebook"
        @change="typed"
        @save="save"
      />
      <RuleForm
        v-else-if="current"
        :rule="current"
        :groups="groups"
        :locked="locked"
        @change="change"
        @samples="write((now) => changeSamples(now, current!.id, $event))"
        @remove="remove()"
      />
      <div v-else class="empty"><p>No rules yet. Add the first one.</p></div>
    </div>
    <p v-else class="soft">Reading the rulebook …</p>
    <template #margin>
      <template v-if="diagnostics.length">
        <h2>{{ count(diagnostics.length, 'fault') }}</h2>
        <button
          v-for="problem in diagnostics"
          :key="problem.line + problem.message"
          class="fault"
          @click="showText(problem.line)"
        >
          {{ problem.message }} <code>line {{ problem.line }}</code>
        </button>
      </template>
      <template v-if="current && !asText">
        <h2>{{ current.title }}</h2>
        <p class="soft">
          <code>{{ current.id }}</code>
        </p>
        <h3>
          Samples
          <small>{{ reading ? 'running …' : `${samples.length}` }}</small>
        </h3>
        <p v-if="!samples.length" class="soft">
          A rule is tested by what keeps it and what breaks it. Add samples below the form.
        </p>
        <div v-for="sample in samples" :key="sample.kind + sample.number" class="sample">
          <i :class="sample.wrong === undefined ? 'passed' : 'failed'">{{
            sample.wrong === undefined ? '✓' : '✗'
          }}</i>
          <span>
            {{ sample.kind === 'passes' ? 'keeps it' : 'breaks it' }}, {{ sample.number }}
            <small v-if="sample.wrong">{{ sample.wrong }}</small>
            <small v-else-if="sample.findings[0]">{{ sample.findings[0].message }}</small>
          </span>
        </div>
      </template>
      <ImpactPanel
        v-if="draft"
        :rulebook="slug"
        :text="text"
        :ready="diagnostics.length === 0"
        :titles="titles"
      />
      <template v-if="draft && !locked">
        <h3>
          Publish <small>edition {{ draft.edition || '–' }} is in force</small>
        </h3>
        <p v-if="!differences.length && !dirty" class="soft">
          The draft says what the edition says.
        </p>
        <ul v-else class="changes">
          <li v-for="says in differences.slice(0, 12)" :key="says">{{ says }}</li>
          <li v-if="differences.length > 12">and {{ differences.length - 12 }} more</li>
          <li v-if="dirty" class="soft">what is not saved yet</li>
        </ul>
        <template v-if="differences.length || dirty">
          <label class="field"
            ><span>What changes, and why</span><Textarea v-model="note" rows="2"
          /></label>
          <button
            class="ghost"
            :disabled="diagnostics.length > 0 || note.trim().length < 5 || saving.busy.value"
            @click="publish()"
          >
            Publish as an edition
          </button>
        </template>
        <h3>Read by others</h3>
        <p>
          <template v-if="draft.shown"
            ><a class="plain" :href="`/guide/${slug}`" target="_blank">Its page</a> is open to
            everybody.
          </template>
          <template v-else>Its page asks to sign in. </template>
          <button class="plain" @click="show(!draft.shown)">
            {{ draft.shown ? 'Close it' : 'Open it to everybody' }}
          </button>
        </p>
        <p v-if="without.length">
          <label class="soft"
            >Begin a rulebook for
            <select @change="begin(textOf($event))">
              <option value="">a team …</option>
              <option v-for="team in without" :key="team">{{ team }}</option>
            </select></label
          >
        </p>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.top {
  padding-right: 22px;
  flex: none;
}
.top :deep(.leaves) {
  margin-bottom: 0;
}
.which {
  border: 1px solid var(--rule);
  border-radius: 5px;
  background: var(--paper);
  padding: 3px 6px;
  align-self: center;
}
.bench {
  display: grid;
  grid-template-columns: 236px minmax(0, 1fr);
  flex: 1;
  min-height: 0;
}
.side {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-right: 1px solid var(--rule);
  padding: 10px 8px 10px 0;
}
.narrow {
  height: 28px;
}
.list {
  overflow: auto;
  flex: 1;
  min-height: 0;
}
.list h6 {
  margin: 10px 4px 3px;
  font: 600 11px var(--body);
  color: var(--soft);
}
.list button {
  min-height: 25px;
  display: flex;
  width: 100%;
  gap: 6px;
  border: 0;
  background: none;
  padding: 3px 4px;
  border-radius: 4px;
  cursor: pointer;
  text-align: left;
  font-size: 12px;
  align-items: baseline;
}
.list button.on {
  background: var(--elm-wash);
}
.list i {
  font-style: normal;
  font-size: 9px;
  min-width: 46px;
  text-align: center;
}
.list span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.list b {
  margin-left: auto;
  color: var(--copper);
  font: 700 11px var(--mono);
}
.none {
  padding: 8px 4px;
}
.add {
  margin-top: 8px;
}
.fault {
  display: block;
  width: 100%;
  text-align: left;
  border: 0;
  border-left: 3px solid var(--copper);
  background: var(--page);
  padding: 5px 8px;
  margin-bottom: 5px;
  cursor: pointer;
  overflow-wrap: anywhere;
}
.sample {
  display: grid;
  grid-template-columns: 18px 1fr;
  padding: 2px 0;
}
.sample i {
  font: 700 12px var(--mono);
}
.sample .passed {
  color: var(--elm);
}
.sample .failed {
  color: var(--copper);
}
.sample small {
  display: block;
  color: var(--soft);
  font-size: 11.5px;
  overflow-wrap: anywhere;
}
.changes {
  padding-left: 16px;
  margin: 0 0 8px;
}
</style>
