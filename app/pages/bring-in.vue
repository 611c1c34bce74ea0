<script setup lang="ts">
import { largestArchive } from '~~/core/archive/limits'
import { limits } from '~~/core/text/limits'
import type { Intake, IntakeSummary } from '~~/shared/api/catalog'

const session = useSession()
const route = useRoute()
const pasted = ref('')
const intake = ref<Intake & { summary?: IntakeSummary }>()
const { busy, refusal, act } = useAct()
const draft = useLocalDraft<string>(() => 'draft:bring-in', 100)

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
async function fromAddresses(urls: string[], agreed: boolean) {
  const [url = '', ...others] = urls
  if (others.length === 0) return started(() => api.createIntakeFromAddress({}, { url, agreed }))
  const made = await act(() => api.createBatchFromAddresses({}, { urls, agreed }))
  if (made) await navigateTo(`/batches/${made.id}`)
}
const agreeToFetch = () =>
  act(async () => {
    intake.value = await api.createIntakeReferences({ intake: intake.value!.id })
  })

const packing = ref('')
/** Refuses what is too large before anything of it is sent. */
function fits(name: string, size: number, most: number): boolean {
  if (size <= most) return true
  refusal.value = new Refusal({
    title: 'Too large',
    detail: `${name} has ${(size / 1024 / 1024).toFixed(1)} MB; up to ${most / 1024 / 1024} MB are taken. Nothing was sent.`,
  })
  return false
}

/** One text is read by itself; an archive, or several files, become a batch. */
async function takeFiles(files: NamedFile[]) {
  const [first, ...others] = files
  if (!first) return
  if (others.length === 0) {
    const { file } = first
    const isArchive = /\.(zip|tar|tgz|tar\.gz)$/i.test(file.name)
    if (!fits(file.name, file.size, isArchive ? largestArchive : limits.bytes)) return
    await (isArchive ? sendArchive(file, file.name) : sendText(file, file.name))
    return
  }
  const size = files.reduce((sum, { file }) => sum + file.size, 0)
  if (!fits('What you dropped', size, largestArchive)) return
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

async function accepted(slug: string) {
  await draft.forget()
  await navigateTo(`/apis/${slug}/source`)
}

async function back() {
  const left = intake.value
  if (left?.state === 'unreadable' && left.bytes > 0 && left.bytes < 1_000_000) {
    pasted.value = await api.getIntakeText({ intake: left.id })
  }
  // The address first: whoever reloads at once is to find the text, not what was read of it.
  await navigateTo({ query: {} }, { replace: true })
  intake.value = undefined
  refusal.value = undefined
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
      <DropZone folders @files="takeFiles" />
      <IntakeAddresses
        :busy="busy"
        :named="String(route.query['address'] ?? '')"
        @fetch="fromAddresses"
      />
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
        <IntakeNewDefinition :busy="busy" @written="sendText" />
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
    <IntakeUnreadable v-else-if="intake.state === 'unreadable'" :intake="intake" @back="back()" />
    <div v-else-if="intake.state === 'accepted'" class="good">
      This text has been brought in. <NuxtLink class="plain" to="/">See the register</NuxtLink> or
      <button class="plain" @click="back()">bring in another</button>.
    </div>
    <IntakeFound
      v-else-if="intake.summary"
      :intake="intake"
      :summary="intake.summary"
      :busy="busy"
      @fetch="agreeToFetch()"
      @accepted="accepted"
      @back="back()"
    />
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
summary {
  cursor: pointer;
  font-weight: 600;
}
.steps {
  padding-left: 18px;
}
.steps li {
  margin-bottom: 6px;
}
</style>
