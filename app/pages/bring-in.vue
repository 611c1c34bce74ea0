<script setup lang="ts">
import { largestArchive } from '~~/core/archive/limits'
import { newDefinition } from '~~/core/edit/new-definition'
import { limits } from '~~/core/text/limits'
import type { Intake, IntakeSummary } from '~~/shared/api/catalog'
import { audiences, type Audience } from '~~/shared/words'

const session = useSession()
const route = useRoute()
const pasted = ref('')
const address = ref('')
const intake = ref<Intake & { summary?: IntakeSummary }>()
const team = ref(session.person?.team ?? '')
const audience = ref<Audience>()
const { busy, refusal, act } = useAct()
const accepting = useAct()
const draft = useLocalDraft<string>(() => 'draft:bring-in', 100)
const agreed = ref(false)

onMounted(async () => {
  const kept = await draft.kept()
  if (pasted.value === '' && kept) pasted.value = kept
  const id = route.query['intake']
  if (typeof id === 'string') await follow(id)
})
watch(pasted, () => draft.keepSoon(() => pasted.value))

async function follow(id: string) {
  await act(async () => {
    intake.value = await api.getIntake({ intake: id })
  })
}
const working = computed(() => intake.value && ['waiting', 'reading'].includes(intake.value.state))
const look = () => (working.value ? follow(intake.value!.id) : undefined)
useChanges(look, ['intake'])
useRepeating(() => working.value, look)

const started = async (work: () => Promise<Intake>) => {
  const made = await act(work)
  if (!made) return
  intake.value = made
  await navigateTo({ query: { intake: made.id } }, { replace: true })
}
const sendText = (text: string | Blob, file: string) =>
  started(() => api.createIntake({ file }, text))
const addresses = computed(() => address.value.split(/\s+/).filter((line) => line !== ''))
async function fromAddress() {
  const urls = addresses.value
  if (urls.length > 1) {
    const made = await act(() => api.createBatchFromAddresses({}, { urls, agreed: agreed.value }))
    if (made) await navigateTo(`/batches/${made.id}`)
    return
  }
  const [url = ''] = urls
  await started(() => api.createIntakeFromAddress({}, { url, agreed: agreed.value }))
}
const agreeToFetch = () =>
  act(async () => {
    intake.value = await api.createIntakeReferences({ intake: intake.value!.id })
  })

const fresh = reactive({
  title: '',
  version: '0.1.0',
  description: '',
  contactName: '',
  contactEmail: '',
  server: '',
})
const startNew = () => sendText(newDefinition(fresh), `${fresh.title.trim()}.yaml`)

const over = ref(false)
const packing = ref('')
const tooLarge = (name: string, size: number, most: number) =>
  new Refusal({
    title: 'Too large',
    detail: `${name} has ${(size / 1024 / 1024).toFixed(1)} MB; up to ${most / 1024 / 1024} MB are taken. Nothing was sent.`,
  })

async function takeDrop(transfer: DataTransfer | null) {
  over.value = false
  if (transfer) await takeFiles(await droppedFiles(transfer))
}

/** One text is read by itself; an archive, or several files, become a batch. */
async function takeFiles(files: NamedFile[]) {
  const [first] = files
  if (!first) return
  if (files.length === 1) {
    const { file } = first
    const isArchive = /\.(zip|tar|tgz|tar\.gz)$/i.test(file.name)
    const most = isArchive ? largestArchive : limits.bytes
    if (file.size > most) refusal.value = tooLarge(file.name, file.size, most)
    else if (isArchive) await sendArchive(file, file.name)
    else await sendText(file, file.name)
    return
  }
  const size = files.reduce((sum, { file }) => sum + file.size, 0)
  if (size > largestArchive) {
    refusal.value = tooLarge(`What you dropped`, size, largestArchive)
    return
  }
  packing.value = `Packing ${files.length} files`
  const packed: Record<string, Uint8Array<ArrayBuffer>> = {}
  for (const { name, file } of files) packed[name] = new Uint8Array(await file.arrayBuffer())
  const archive = await zipped(packed)
  packing.value = ''
  await sendArchive(archive, `${files.length} files`)
}

async function sendArchive(archive: Blob, file: string) {
  const made = await act(() => api.createBatch({ file }, archive))
  if (made) await navigateTo(`/batches/${made.id}`)
}

const twin = computed(() => intake.value?.twins[0])
const joins = computed(() => twin.value && twin.value.same !== 'content')
const fixed = computed(() => twin.value?.same === 'version' && twin.value.fixed)

async function accept() {
  const body = joins.value
    ? { api: twin.value!.api }
    : { team: team.value, audience: audience.value }
  const saved = await accepting.act(() => api.acceptIntake({ intake: intake.value!.id }, body))
  if (!saved) return
  await draft.forget()
  await navigateTo(`/apis/${saved.api}/source`)
}

async function back() {
  if (
    intake.value?.state === 'unreadable' &&
    intake.value.bytes > 0 &&
    intake.value.bytes < 1_000_000
  ) {
    pasted.value = await api.getIntakeText({ intake: intake.value.id })
  }
  // The address first: whoever reloads at once is to find the text, not what was read of it.
  await navigateTo({ query: {} }, { replace: true })
  intake.value = undefined
  refusal.value = undefined
  accepting.refusal.value = undefined
}
</script>

<template>
  <Leaf>
    <div class="crumb"><NuxtLink to="/">Register</NuxtLink> / Bring in</div>
    <h1>Bring in a definition</h1>
    <p class="sentence">
      OpenAPI, Swagger, RAML, WSDL and WADL, in one file or many. What a text says of itself is
      filled in from it; nothing is kept in the register until you say so.
    </p>
    <Trouble :refusal="refusal" />
    <p v-if="packing" class="soft" role="status">{{ packing }} …</p>
    <div v-if="!intake" class="ways">
      <div
        class="drop"
        :class="{ over }"
        @dragover.prevent="over = true"
        @dragleave="over = false"
        @drop.prevent="takeDrop($event.dataTransfer)"
      >
        <p>Drop a file, a folder or an archive here</p>
        <label class="ghost"
          >or choose files<input
            type="file"
            class="sr"
            multiple
            accept=".yaml,.yml,.json,.raml,.wsdl,.wadl,.xsd,.xml,.txt,.zip,.tar,.tgz,.gz"
            @change="
              takeFiles(
                [...(($event.target as HTMLInputElement).files ?? [])].map((file) => ({
                  name: file.name,
                  file,
                })),
              )
            "
        /></label>
        <label class="ghost"
          >or a folder<input
            type="file"
            class="sr"
            webkitdirectory
            @change="takeFiles(chosenFolder(($event.target as HTMLInputElement).files!))"
        /></label>
      </div>
      <form @submit.prevent="fromAddress()">
        <label class="field"
          ><span>From addresses</span
          ><Textarea
            v-model="address"
            class="mono"
            rows="3"
            spellcheck="false"
            placeholder="https://"
            aria-label="From addresses"
          /><small
            >One in each line. The server fetches them with what they refer to on the same host:
            http or https, public addresses only.</small
          ></label
        >
        <label class="agree"
          ><input v-model="agreed" type="checkbox" /> and what they refer to on other hosts</label
        >
        <button class="ghost" :disabled="busy || !addresses.length">
          {{ addresses.length > 1 ? `Fetch ${addresses.length}` : 'Fetch it' }}
        </button>
      </form>
      <form class="paste" @submit.prevent="sendText(pasted, 'pasted text')">
        <label class="field"
          ><span>Or paste the text</span
          ><Textarea
            v-model="pasted"
            class="mono"
            rows="9"
            spellcheck="false"
            placeholder="openapi: 3.1.0"
            aria-label="Or paste the text"
        /></label>
        <button class="fill" :disabled="busy || !pasted.trim()">Read it</button>
      </form>
      <details class="paste">
        <summary>Or begin a new one</summary>
        <form class="fresh" @submit.prevent="startNew()">
          <label class="field"><span>Title</span><InputText v-model="fresh.title" /></label>
          <label class="field"
            ><span>Version</span><InputText v-model="fresh.version" class="mono"
          /></label>
          <label class="field wide"
            ><span>What it is for</span><InputText v-model="fresh.description"
          /></label>
          <label class="field"><span>Contact</span><InputText v-model="fresh.contactName" /></label>
          <label class="field"
            ><span>Contact’s e-mail</span><InputText v-model="fresh.contactEmail" type="email"
          /></label>
          <label class="field wide"
            ><span>Address</span
            ><InputText v-model="fresh.server" class="mono" placeholder="https://"
          /></label>
          <button class="ghost" :disabled="busy || !fresh.title.trim() || !fresh.version.trim()">
            Write it
          </button>
          <p class="soft small wide">
            It begins as OpenAPI 3.1 without operations; add them under Source.
          </p>
        </form>
      </details>
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
    <div v-else-if="intake.state === 'unreadable'">
      <div class="trouble" role="alert">
        <b>{{ intake.source }} is not a readable definition.</b>
        {{ count(intake.diagnostics.length, 'problem') }}. The text is kept; fix it here or at its
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
          <tr v-for="(problem, i) in intake.diagnostics" :key="i">
            <td class="mono place">{{ problem.file }}:{{ problem.line }}:{{ problem.column }}</td>
            <td>
              {{ problem.message }}
              <pre v-if="problem.excerpt" tabindex="0">{{ problem.excerpt }}</pre>
            </td>
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
        <template v-if="intake.files.length > 1">
          <dt>Files</dt>
          <dd class="mono">{{ intake.files.join(', ') }}</dd>
        </template>
      </dl>
      <div v-if="intake.remote.length" class="good" role="status">
        It refers to {{ count(intake.remote.length, 'file') }} on other hosts, which nobody has
        asked:
        <code v-for="url in intake.remote.slice(0, 6)" :key="url" class="block">{{ url }}</code>
        <button type="button" class="ghost" :disabled="busy" @click="agreeToFetch()">
          Fetch them too
        </button>
      </div>
      <p v-if="intake.diagnostics.length" class="trouble" role="status">
        It departs from its specification in
        {{ count(intake.diagnostics.length, 'place') }}; it can be brought in all the same and fixed
        there.
      </p>
      <p v-for="(problem, i) in intake.diagnostics.slice(0, 5)" :key="i" class="soft small mono">
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
            ><Choice
              v-model="team"
              :options="session.shell?.teams ?? []"
              placeholder="Choose"
              aria-label="Owning team"
          /></label>
          <label class="field"
            ><span>Audience</span
            ><Choice
              v-model="audience"
              :options="audiences"
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
        <li>Of many files, each definition is told apart, and all are entered together.</li>
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
.problems pre {
  font: 11.5px/1.5 var(--mono);
  color: var(--soft);
  margin: 4px 0 2px;
  overflow-x: auto;
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
.drop .ghost {
  margin: 0 4px;
}
.agree {
  display: block;
  margin: 0 0 8px;
}
.fresh {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 18px;
  margin-top: 8px;
}
.fresh .wide {
  grid-column: 1 / -1;
}
.fresh .ghost {
  justify-self: start;
}
summary {
  cursor: pointer;
  font-weight: 600;
}
.block {
  display: block;
}
.steps {
  padding-left: 18px;
}
.steps li {
  margin-bottom: 6px;
}
</style>
