<script setup lang="ts">
import {
  addRule,
  changeRule,
  changeSamples,
  freeRuleId,
  lineOfRule,
  removeRule,
} from '~~/core/rules/draft'
import { EditFault } from '~~/core/edit/change'
import { useSession } from '~/stores/session'

const session = useSession()
const { filters, set } = useFilters(['rulebook', 'rule', 'view'] as const)
const slug = computed(() => filters.value.rulebook || 'house')
const asText = computed(() => filters.value.view === 'text')
const locked = computed(() => session.person?.role !== 'governance')
const { data: books, reload: reloadBooks } = useLoad(() => api.listRulebooks(), ['rulebook'])
const {
  house,
  draft,
  text,
  shownText,
  restored,
  dirty,
  loading,
  saving,
  answer,
  reading,
  ...work
} = useRulebookDraft(() => slug.value)

const book = computed(() => answer.value?.reading.rulebook)
const diagnostics = computed(() => answer.value?.reading.diagnostics ?? [])
const faulty = computed(() => answer.value?.reading.faulty ?? [])
/** The rules as they stand, those among them whose expressions are at fault. */
const rules = computed(() => [...(book.value?.rules ?? []), ...faulty.value])
/** A team's rules may stand in the groups of the organisation, too. */
const groups = computed(() => {
  const own = book.value?.groups ?? []
  const known = new Set(own.map(({ id }) => id))
  const others = slug.value === 'house' ? [] : (house.value?.groups ?? [])
  return [...own, ...others.filter(({ id }) => !known.has(id))]
})
const current = computed(
  () => rules.value.find(({ id }) => id === filters.value.rule) ?? rules.value[0],
)
const titles = computed(
  () =>
    new Map([...(house.value?.items ?? []), ...rules.value].map(({ id, title }) => [id, title])),
)
const samples = computed(() => answer.value?.samples[current.value?.id ?? ''] ?? [])
function troubleWith(id: string) {
  if (faulty.value.some((rule) => rule.id === id))
    return { mark: '!', says: 'It cannot be applied as it is written' }
  const wrong = (answer.value?.samples[id] ?? []).filter((sample) => sample.wrong !== undefined)
  if (wrong.length === 0) return undefined
  return { mark: String(wrong.length), says: 'Samples that are not as they should be' }
}

/** The form writes into the text; what cannot be written so is said. */
const formFault = ref('')
function edit(change: (text: string, rule: string) => string) {
  formFault.value = ''
  try {
    work.write(change(text.value, current.value?.id ?? ''))
  } catch (error) {
    if (!(error instanceof EditFault)) throw error
    formFault.value = error.message
  }
}
function add() {
  const id = freeRuleId(text.value)
  edit((now) =>
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
  edit(removeRule)
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
const tints = computed(() => diagnostics.value.map(({ line }) => ({ line, level: 'MUST' })))

async function save(over = false) {
  if (await (over ? work.saveOver() : work.save())) await reloadBooks()
}
const published = ref<number>()
async function publish(note: string) {
  published.value = await work.publish(note)
  await reloadBooks()
}
async function begin(team: string) {
  const made = await saving.act(() => api.createRulebook({}, { team }))
  if (!made) return
  await reloadBooks()
  await set({ rulebook: made.rulebook, rule: '' })
}
const teamsWithout = computed(() => {
  const taken = new Set(books.value?.items.map(({ team }) => team))
  return (session.shell?.teams ?? []).filter((team) => !taken.has(team))
})
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
      <Trouble :refusal="loading.refusal.value" />
      <Trouble :refusal="saving.refusal.value" />
      <div v-if="saving.refusal.value?.status === 412" class="bar">
        <button class="ghost" @click="work.discard()">Take what they saved</button>
        <button class="ghost" @click="save(true)">Save mine in its place</button>
      </div>
      <p v-if="restored" class="good" role="status">
        Your unsaved text of {{ moment(restored.at) }} is back.
        <button class="plain" @click="work.discard()">Take the saved draft instead</button>
      </p>
      <p v-if="published" class="good" role="status">
        Edition {{ published }} is in force. The register is being checked against it.
      </p>
      <p v-if="formFault" class="trouble">{{ formFault }}. Change it in the text.</p>
    </div>
    <div v-if="book" class="bench">
      <RulebookRuleList
        :groups="groups"
        :rules="rules"
        :current="current?.id"
        :trouble="troubleWith"
        @open="set({ rule: $event })"
      >
        <button v-if="!locked" class="ghost add" @click="add()">Add a rule</button>
      </RulebookRuleList>
      <SourceEditor
        v-if="asText"
        ref="editor"
        :text="shownText"
        syntax="yaml"
        :locked="locked"
        :lines="tints"
        label="Text of the rulebook"
        @change="work.typed(editor!.current())"
        @save="save()"
      />
      <RuleForm
        v-else-if="current"
        :rule="current"
        :groups="groups"
        :locked="locked"
        @change="(fields) => edit((now, id) => changeRule(now, id, fields))"
        @samples="(list) => edit((now, id) => changeSamples(now, id, list))"
        @remove="remove()"
      />
      <div v-else class="empty"><p>No rules yet. Add the first one.</p></div>
    </div>
    <p v-else class="soft">Reading the rulebook …</p>
    <template #margin>
      <Faults v-if="diagnostics.length" :faults="diagnostics" @open="showText($event)" />
      <template v-if="current && !asText">
        <h2>{{ current.title }}</h2>
        <p class="soft">
          <code>{{ current.id }}</code>
        </p>
        <RulebookSampleResults :samples="samples" :reading="reading" />
      </template>
      <template v-if="draft">
        <ImpactPanel
          :rulebook="slug"
          :text="text"
          :ready="diagnostics.length === 0"
          :titles="titles"
        />
        <template v-if="!locked">
          <RulebookPublishPanel
            :draft="draft"
            :rulebook="slug"
            :dirty="dirty"
            :busy="saving.busy.value"
            :faulty="diagnostics.length > 0"
            @publish="publish"
            @show="work.show"
          />
          <p v-if="teamsWithout.length">
            <label class="soft"
              >Begin a rulebook for
              <select @change="begin(textOf($event))">
                <option value="">a team …</option>
                <option v-for="team in teamsWithout" :key="team">{{ team }}</option>
              </select></label
            >
          </p>
        </template>
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
.add {
  margin-top: 8px;
}
</style>
