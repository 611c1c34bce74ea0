<script setup lang="ts">
import { del, get, set as keep } from 'idb-keyval'
import type { Intake, IntakeSummary, Saved } from '~~/shared/api/catalog'
import { audiences } from '~~/shared/words'

const session = useSession()
const route = useRoute()
const pasted = ref('')
const address = ref('')
const intake = ref<Intake & { summary?: IntakeSummary }>()
const team = ref(session.person?.team ?? '')
const audience = ref('')
const { busy, refusal, act } = useAct()
const accepting = useAct()
const draftKey = 'draft:bring-in'
const largest = 32 * 1024 * 1024

onMounted(async () => {
  const kept = await get<string>(draftKey)
  if (pasted.value === '' && kept) pasted.value = kept
  const id = route.query['intake']
  if (typeof id === 'string') await follow(id)
})
let keeping: ReturnType<typeof setTimeout> | undefined
watch(pasted, (text) => {
  clearTimeout(keeping)
  const small = text.length < 200_000
  keeping = setTimeout(() => void keep(draftKey, text), small ? 0 : 400)
})

async function follow(id: string) {
  await act(async () => {
    intake.value = await api.get<Intake>(`/intakes/${id}`)
  })
}
useChanges(
  () =>
    intake.value && ['waiting', 'reading'].includes(intake.value.state)
      ? follow(intake.value.id)
      : undefined,
  ['intake'],
)
let again: ReturnType<typeof setInterval> | undefined
onMounted(
  () =>
    (again = setInterval(
      () =>
        intake.value &&
        ['waiting', 'reading'].includes(intake.value.state) &&
        void follow(intake.value.id),
      1500,
    )),
)
onUnmounted(() => clearInterval(again))

const started = async (work: () => Promise<Intake>) => {
  const made = await act(work)
  if (!made) return
  intake.value = made
  await navigateTo({ query: { intake: made.id } }, { replace: true })
}
const sendText = (text: string | Blob, file: string) =>
  started(() => api.post<Intake>('/intakes', undefined, { text, query: { file } }))
const fromAddress = () =>
  started(() => api.post<Intake>('/intakes/from-address', { url: address.value.trim() }))

const over = ref(false)
function takeFile(file: File | undefined) {
  over.value = false
  if (!file) return
  if (file.size > largest) {
    refusal.value = new Refusal({
      title: 'Too large',
      detail: `${file.name} has ${(file.size / 1024 / 1024).toFixed(1)} MB; a definition has at most 32 MB. Nothing was sent.`,
    })
    return
  }
  void sendText(file, file.name)
}

const working = computed(() => intake.value && ['waiting', 'reading'].includes(intake.value.state))
const twin = computed(() => intake.value?.twins[0])
const joins = computed(() => twin.value && twin.value.same !== 'content')
const fixed = computed(() => twin.value?.same === 'version' && twin.value.fixed)

async function accept() {
  const body = joins.value
    ? { api: twin.value!.api }
    : { team: team.value, audience: audience.value }
  const saved = await accepting.act(() =>
    api.post<Saved>(`/intakes/${intake.value!.id}/accept`, body),
  )
  if (!saved) return
  await del(draftKey)
  await navigateTo(`/apis/${saved.api}/source`)
}

async function back() {
  if (
    intake.value?.state === 'problems' &&
    intake.value.bytes > 0 &&
    intake.value.bytes < 1_000_000
  ) {
    pasted.value = (await api.text(`/intakes/${intake.value.id}/text`)).text
  }
  intake.value = undefined
  refusal.value = undefined
  accepting.refusal.value = undefined
  await navigateTo({ query: {} }, { replace: true })
}
</script>

<template>
  <Leaf>
    <div class="crumb"><NuxtLink to="/">Register</NuxtLink> / Bring in</div>
    <h1>Bring in a definition</h1>
    <p class="sentence">
      OpenAPI 3.0 or 3.1, as YAML or JSON. What the text says of itself is filled in from it;
      nothing is kept in the register until you say so.
    </p>
    <Trouble :refusal="refusal" />
    <div v-if="!intake" class="ways">
      <div
        class="drop"
        :class="{ over }"
        @dragover.prevent="over = true"
        @dragleave="over = false"
        @drop.prevent="takeFile($event.dataTransfer?.files[0])"
      >
        <p>Drop a file here</p>
        <label class="ghost"
          >or choose one<input
            type="file"
            class="sr"
            accept=".yaml,.yml,.json,.txt"
            @change="takeFile(($event.target as HTMLInputElement).files?.[0])"
        /></label>
      </div>
      <form @submit.prevent="fromAddress()">
        <label class="field"
          ><span>From an address</span
          ><InputText v-model="address" type="url" class="mono" placeholder="https://" /><small
            >The server fetches it: http or https, public addresses only.</small
          ></label
        >
        <button class="ghost" :disabled="busy || !address.trim()">Fetch it</button>
      </form>
      <form class="paste" @submit.prevent="sendText(pasted, 'pasted text')">
        <label class="field"
          ><span>Or paste the text</span
          ><Textarea
            v-model="pasted"
            class="mono"
            rows="13"
            spellcheck="false"
            placeholder="openapi: 3.1.0"
        /></label>
        <button class="fill" :disabled="busy || !pasted.trim()">Read it</button>
      </form>
    </div>
    <div v-else-if="working" class="progress" role="status">
      <div class="stripe" />
      <p>
        {{ intake.state === 'waiting' ? 'Waiting for the worker' : 'Reading and checking' }}
        {{ intake.source
        }}<template v-if="intake.bytes">, {{ (intake.bytes / 1024).toFixed(0) }} kB</template>. You
        can leave this page and come back; the address keeps your place.
      </p>
    </div>
    <div v-else-if="intake.state === 'problems'">
      <div class="trouble" role="alert">
        <b>{{ intake.source }} is not a readable definition.</b>
        {{ count(intake.problems.length, 'problem') }}. The text is kept; mend it here or at its
        source.
      </div>
      <table class="ruled problems">
        <thead>
          <tr>
            <th>Place</th>
            <th>Problem</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(problem, i) in intake.problems" :key="i">
            <td class="mono place">{{ problem.file }}:{{ problem.line }}:{{ problem.column }}</td>
            <td>{{ problem.message }}</td>
          </tr>
        </tbody>
      </table>
      <p><button class="ghost" @click="back()">Go back to the text</button></p>
    </div>
    <div v-else-if="intake.state === 'accepted'" class="good">
      This text has been brought in. <NuxtLink class="plain" to="/">See the register</NuxtLink> or
      <button class="plain" @click="back()">bring in another</button>.
    </div>
    <form v-else-if="intake.summary" class="found" @submit.prevent="accept()">
      <dl>
        <dt>Title</dt>
        <dd>
          <b>{{ intake.summary.title }}</b>
        </dd>
        <dt>Version</dt>
        <dd class="mono">
          {{ intake.summary.version }} <span class="fmt">{{ intake.summary.format }}</span>
        </dd>
        <dt>Holds</dt>
        <dd>
          {{ count(intake.summary.operations, 'operation') }},
          {{ count(intake.summary.schemas, 'schema') }}
        </dd>
        <dt>About</dt>
        <dd>{{ intake.summary.description || 'no description' }}</dd>
        <dt>Contact</dt>
        <dd>{{ intake.summary.contact || 'none given' }}</dd>
        <dt>Servers</dt>
        <dd class="mono">{{ intake.summary.servers.join(', ') || 'none named' }}</dd>
        <dt>Tags</dt>
        <dd>{{ intake.summary.tags.join(' · ') || 'none' }}</dd>
      </dl>
      <p v-for="(problem, i) in intake.problems.slice(0, 5)" :key="i" class="soft small mono">
        {{ problem.file }}:{{ problem.line }}:{{ problem.column }} {{ problem.message }}
      </p>
      <div v-if="twin?.same === 'content'" class="trouble" role="status">
        The same text is
        <NuxtLink
          class="plain"
          :to="{ path: `/apis/${twin.api}/source`, query: { revision: twin.revision } }"
          >revision {{ twin.revision }} of {{ twin.title }}</NuxtLink
        >
        already. There is nothing to add.
      </div>
      <template v-else>
        <div v-if="twin" class="good" role="status">
          The register has
          <NuxtLink class="plain" :to="`/apis/${twin.api}`">{{ twin.title }}</NuxtLink><template
            v-if="twin.same === 'version'"
          >
            with a version {{ intake.summary.version }}, revision {{ twin.revision }}</template
          >.
          <template v-if="fixed">
            That version is placed, so its text is fixed: raise <code>info.version</code> and bring
            it in again.</template
          >
          <template v-else> This becomes its next revision.</template>
        </div>
        <template v-else>
          <label class="field"
            ><span>Owning team</span
            ><Select
              v-model="team"
              :options="session.shell?.teams ?? []"
              placeholder="Choose"
              aria-label="Owning team"
          /></label>
          <label class="field"
            ><span>Audience</span
            ><Select
              v-model="audience"
              :options="[...audiences]"
              placeholder="Choose"
              aria-label="Audience"
            /><small>Private: company only. Partner: by agreement. Public: everybody.</small></label
          >
        </template>
        <Trouble :refusal="accepting.refusal.value" />
        <div class="bar">
          <button
            class="fill"
            :disabled="accepting.busy.value || fixed || (!twin && (!team || !audience))"
          >
            {{
              accepting.busy.value
                ? 'Entering …'
                : twin
                  ? `Add to ${twin.title}`
                  : 'Enter into the register'
            }}
          </button>
          <button type="button" class="ghost" @click="back()">Choose another text</button>
        </div>
      </template>
      <button v-if="twin?.same === 'content'" type="button" class="ghost" @click="back()">
        Choose another text
      </button>
    </form>
    <template #margin>
      <h2>What happens</h2>
      <ol class="steps">
        <li>The text is kept as it is, byte for byte.</li>
        <li>A worker reads it and checks it against the rulebook.</li>
        <li>Problems come with file, line and column.</li>
        <li>You say which team owns it and whom it is for.</li>
        <li>It stands in the register, not yet placed anywhere.</li>
      </ol>
      <p v-if="session.shell?.tryAddress" class="soft">
        In the demo, <code>{{ session.shell.tryAddress }}</code> is an address to try; other private
        addresses are refused.
      </p>
    </template>
  </Leaf>
</template>

<style scoped>
.ways {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 18px 26px;
  max-width: 860px;
}
.paste {
  grid-column: 1 / -1;
}
.drop {
  border: 1.5px dashed var(--line);
  border-radius: 8px;
  background: var(--paper);
  padding: 18px;
  text-align: center;
}
.drop.over {
  border-color: var(--elm);
  background: var(--elm-wash);
}
.drop:focus-within {
  outline: 2px solid var(--elm);
}
.drop p {
  margin: 0 0 8px;
  font-weight: 600;
}
.progress {
  max-width: 620px;
}
.stripe {
  height: 4px;
  border-radius: 2px;
  background: linear-gradient(90deg, var(--elm-wash), var(--elm), var(--elm-wash));
  background-size: 200% 100%;
  animation: run 1.4s linear infinite;
}
@keyframes run {
  to {
    background-position: -200% 0;
  }
}
.problems {
  max-width: 900px;
}
.place {
  white-space: nowrap;
}
.found {
  max-width: 680px;
}
.found dl {
  display: grid;
  grid-template-columns: 80px 1fr;
  gap: 5px 12px;
  margin: 0 0 14px;
}
.found dt {
  color: var(--soft);
}
.found dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.steps {
  padding-left: 18px;
}
.steps li {
  margin-bottom: 6px;
}
</style>
