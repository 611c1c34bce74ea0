<script setup lang="ts">
import type { ApiChange, ApiLink } from '~~/shared/api/catalog'
import { audiences, lifecycles } from '~~/shared/words'

const slug = String(useRoute().params['api'])
const session = useSession()
const { data: detail, refusal, reload } = useLoad(() => api.getApi({ api: slug }))
const { data: entries } = useLoad(() => api.listLedgerEntries({ api: slug, limit: 12 }))
const { busy, refusal: changeRefusal, act } = useAct()
const change = (what: ApiChange) =>
  act(async () => {
    await api.updateApi({ api: slug }, what)
    await reload()
  })

/** A deprecated API has a last day; it is asked for before the change is made. */
const sunset = ref('')
const deprecating = ref(false)
watch(
  () => detail.value?.sunset,
  (now) => (sunset.value = now ?? ''),
)
function chooseLifecycle(lifecycle: ApiChange['lifecycle']) {
  deprecating.value = lifecycle === 'deprecated' && !detail.value?.sunset
  if (!deprecating.value) void change({ lifecycle })
}
async function deprecate() {
  await change({ lifecycle: 'deprecated', sunset: sunset.value })
  if (!changeRefusal.value) deprecating.value = false
}

const owners = computed(() => [
  { value: '', label: 'nobody yet' },
  ...(session.shell?.people ?? []).map(({ name, displayName }) => ({
    value: name,
    label: displayName,
  })),
])
const visibility = [
  { value: false, label: 'everybody' },
  { value: true, label: 'team and governance' },
]

const label = ref('')
async function addLabel() {
  const word = label.value.trim()
  if (word === '' || detail.value!.labels.includes(word)) return
  await change({ labels: [...detail.value!.labels, word] })
  label.value = ''
}
const link = reactive({ title: '', url: '' })
async function addLink() {
  await change({
    links: [...detail.value!.links, { title: link.title.trim(), url: link.url.trim() }],
  })
  if (!changeRefusal.value) Object.assign(link, { title: '', url: '' })
}
/** What callers are pointed to is one link: Deprecation and Sunset name it. */
const tell = (about: ApiLink, told: boolean) =>
  change({
    links: detail.value!.links.map(({ title, url }) => ({
      title,
      url,
      ...(told && url === about.url && { deprecation: true }),
    })),
  })
const stages = computed(() =>
  (detail.value?.cells ?? []).map((cell) => ({
    ...cell,
    says: markWords(cell.mark, cell.differences),
  })),
)
</script>

<template>
  <Leaf>
    <Trouble :refusal="refusal" />
    <template v-if="detail">
      <ApiHead :detail="detail">
        <DownloadMenu
          :slug="slug"
          :revision="detail.latest.revision"
          :format="detail.latest.format"
        />
        <NuxtLink class="fill" :to="`/apis/${slug}/place`">Place a version</NuxtLink>
      </ApiHead>
      <p class="sentence about">
        {{ detail.description || 'The definition says nothing of itself.' }}
      </p>
      <Trouble :refusal="changeRefusal" />
      <div class="halves" :class="{ busy }">
        <dl class="facts">
          <dt>Team</dt>
          <dd>
            <Choice
              :model-value="detail.team"
              :options="session.shell?.teams ?? []"
              aria-label="Team"
              @update:model-value="change({ team: $event })"
            />
          </dd>
          <dt>Owner</dt>
          <dd>
            <Choice
              :model-value="detail.owner"
              :options="owners"
              aria-label="Owner"
              @update:model-value="change({ owner: $event })"
            />
          </dd>
          <dt>Audience</dt>
          <dd>
            <Choice
              :model-value="detail.audience"
              :options="audiences"
              aria-label="Audience"
              @update:model-value="change({ audience: $event })"
            />
          </dd>
          <dt>Read again from</dt>
          <dd>
            <input
              class="address"
              :value="detail.sourceAddress"
              aria-label="Read again from"
              placeholder="https://, or nothing where it is written here"
              @change="change({ sourceAddress: textOf($event).trim() })"
            />
            <div v-if="detail.sourceAddress" class="soft small">
              <template v-if="detail.sourceTrouble">{{ detail.sourceTrouble }}</template>
              <template v-else-if="detail.sourceReadAt"
                >read {{ ago(detail.sourceReadAt) }}</template
              >
              <template v-else>not read yet</template>
            </div>
          </dd>
          <dt>Lifecycle</dt>
          <dd>
            <Choice
              :model-value="deprecating ? 'deprecated' : detail.lifecycle"
              :options="lifecycles"
              aria-label="Lifecycle"
              @update:model-value="chooseLifecycle($event)"
            />
            <form v-if="deprecating || detail.sunset" class="day" @submit.prevent="deprecate()">
              <span v-if="detail.lifecycle === 'deprecated'" class="soft">
                since
                <input
                  :value="detail.deprecatedOn"
                  type="date"
                  aria-label="Deprecated since"
                  @change="change({ deprecatedOn: textOf($event) })"
                />
              </span>
              <label>Served until <input v-model="sunset" type="date" required /></label>
              <button
                v-if="deprecating || sunset !== detail.sunset"
                class="ghost"
                :disabled="!sunset || busy"
              >
                {{ deprecating ? 'Deprecate' : 'Change the day' }}
              </button>
              <button v-if="deprecating" type="button" class="plain" @click="deprecating = false">
                Cancel
              </button>
            </form>
          </dd>
          <dt>Visible to</dt>
          <dd>
            <Choice
              :model-value="detail.confidential"
              :options="visibility"
              aria-label="Visible to"
              @update:model-value="change({ confidential: $event })"
            />
            <MultiSelect
              v-if="detail.confidential"
              :model-value="detail.viewers"
              :options="session.shell?.people ?? []"
              option-label="displayName"
              option-value="name"
              filter
              class="besides"
              placeholder="and people named"
              aria-label="People who see it besides"
              @update:model-value="change({ viewers: $event })"
            />
          </dd>
          <dt>Contact</dt>
          <dd>{{ detail.contact || 'none given' }}</dd>
          <dt>Addresses</dt>
          <dd>
            <code v-for="server in detail.servers" :key="server" class="block">{{
              server
            }}</code><span v-if="!detail.servers.length" class="soft">none named</span>
          </dd>
          <dt>Tags</dt>
          <dd>
            <NuxtLink
              v-for="tag in detail.tags"
              :key="tag"
              class="tag"
              :to="{ path: '/find', query: { tag } }"
              >{{ tag }}</NuxtLink
            >
            <span v-for="word in detail.labels" :key="word" class="tag own">
              <NuxtLink :to="{ path: '/find', query: { tag: word } }">{{ word }}</NuxtLink>
              <button
                :aria-label="`Remove ${word}`"
                @click="change({ labels: detail.labels.filter((other) => other !== word) })"
              >
                ×
              </button>
            </span>
            <form class="add" @submit.prevent="addLabel()">
              <input
                v-model="label"
                placeholder="add a tag"
                aria-label="Add a tag"
                maxlength="60"
              />
            </form>
          </dd>
          <dt>Links</dt>
          <dd>
            <p v-for="item in detail.links" :key="item.url" class="link">
              <a class="plain" :href="item.url" rel="noreferrer" target="_blank">{{
                item.title
              }}</a>
              <button
                class="plain soft"
                @click="change({ links: detail.links.filter((other) => other !== item) })"
              >
                Remove
              </button>
              <label class="soft">
                <Checkbox
                  :model-value="item.deprecation ?? false"
                  binary
                  @update:model-value="tell(item, $event)"
                />
                callers are told of it once deprecated
              </label>
            </p>
            <form class="add" @submit.prevent="addLink()">
              <input v-model="link.title" placeholder="title" aria-label="Title of the link" />
              <input v-model="link.url" placeholder="https://" aria-label="Address of the link" />
              <button class="ghost" :disabled="!link.title.trim() || !link.url.trim()">Add</button>
            </form>
          </dd>
        </dl>
        <div>
          <h3>Where versions live</h3>
          <p v-for="cell in stages" :key="cell.stage" class="cell">
            <span>{{ cell.stage }}</span>
            <NuxtLink class="mono plain" :to="`/apis/${slug}/placements`">{{
              cell.version
            }}</NuxtLink>
            <b class="mono">{{ markSign(cell.mark, cell.differences) }}</b>
            <span class="soft">{{ cell.says }}</span>
          </p>
          <p v-if="!stages.length" class="soft">Not placed anywhere yet.</p>
          <h3>The contract holds</h3>
          <table class="counts">
            <tbody>
              <tr>
                <td>
                  <NuxtLink class="plain" :to="`/apis/${slug}/operations`">operations</NuxtLink>
                  <span v-if="detail.facts.deprecated" class="soft">
                    ({{ detail.facts.deprecated }} deprecated)</span
                  >
                </td>
                <td>{{ detail.facts.operations }}</td>
              </tr>
              <tr v-if="detail.facts.webhooks">
                <td>
                  <NuxtLink
                    class="plain"
                    :to="{ path: `/apis/${slug}/operations`, query: { tag: 'Webhooks' } }"
                    >webhooks</NuxtLink
                  >
                </td>
                <td>{{ detail.facts.webhooks }}</td>
              </tr>
              <tr>
                <td>
                  <NuxtLink
                    class="plain"
                    :to="{ path: `/apis/${slug}/operations`, query: { tag: 'Schemas' } }"
                    >named schemas</NuxtLink
                  >
                </td>
                <td>{{ detail.facts.schemas }}</td>
              </tr>
              <tr>
                <td>parameters</td>
                <td>{{ detail.facts.parameters }}</td>
              </tr>
              <tr>
                <td>responses with an example</td>
                <td>{{ detail.facts.exampled }} of {{ detail.facts.responses }}</td>
              </tr>
            </tbody>
          </table>
          <p class="soft">
            {{ detail.facts.mediaTypes.join(', ') || 'No bodies'
            }}<template v-if="detail.facts.soap">; SOAP</template>. Credentials:
            {{ detail.facts.securitySchemes.join(', ') || 'none named' }}.
          </p>
          <p v-if="detail.diagnostics" class="trouble">
            It departs from its specification in
            <NuxtLink class="plain" :to="`/apis/${slug}/source`">{{
              count(detail.diagnostics, 'place')
            }}</NuxtLink>.
          </p>
        </div>
      </div>
    </template>
    <template #margin>
      <h3 class="first">
        Last in the ledger
        <small><NuxtLink :to="{ path: '/ledger', query: { api: slug } }">all</NuxtLink></small>
      </h3>
      <div v-for="entry in entries?.items ?? []" :key="entry.number" class="entry">
        <NuxtLink :to="{ path: '/ledger', query: { entry: entry.number } }">{{
          entry.action.replace('.', ' ')
        }}</NuxtLink>
        <code>{{ entry.number }} · {{ entry.actor }} · {{ moment(entry.at) }}</code>
      </div>
    </template>
  </Leaf>
</template>

<style scoped>
.address {
  width: min(100%, 420px);
}
.besides {
  margin-top: 6px;
  max-width: 100%;
}
.about {
  margin-top: 14px;
}
.facts {
  display: grid;
  grid-template-columns: 90px minmax(0, 1fr);
  gap: 6px 12px;
  margin: 0 0 8px;
  align-items: start;
}
.facts dt {
  padding-top: 4px;
  color: var(--soft);
}
.facts dd {
  margin: 0;
  padding-top: 4px;
}
.facts dd:has(.p-select) {
  padding-top: 0;
}
.halves {
  display: grid;
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
  gap: 30px;
}
.halves h3:first-child {
  margin-top: 4px;
}
.cell {
  display: grid;
  grid-template-columns: 84px 60px 40px 1fr;
  gap: 8px;
  min-height: 26px;
  margin: 0;
  align-items: center;
}
.cell a {
  line-height: 24px;
}
.counts {
  width: 100%;
  border-collapse: collapse;
}
.counts td {
  line-height: 24px;
  padding: 1px 0;
  border-bottom: 1px dotted var(--rule);
}
.counts td:last-child {
  text-align: right;
  font-family: var(--mono);
}
.tag {
  display: inline-block;
  line-height: 24px;
  border: 1px solid var(--rule);
  border-radius: 4px;
  padding: 0 7px;
  margin: 0 5px 4px 0;
}
.tag.own {
  background: var(--faint);
}
.tag button {
  border: 0;
  background: none;
  cursor: pointer;
  min-width: 24px;
  min-height: 24px;
  padding: 0;
  color: var(--soft);
}
.day,
.add {
  display: flex;
  gap: 6px;
  align-items: center;
  flex-wrap: wrap;
  margin-top: 4px;
}
.day input,
.add input {
  border: 1px solid var(--rule);
  border-radius: 5px;
  background: var(--paper);
  color: var(--ink);
  padding: 3px 7px;
  font-size: 12.5px;
  min-width: 0;
  flex: 1 1 110px;
}
.link {
  margin: 0 0 3px;
  display: flex;
  gap: 8px;
}
.facts :deep(.p-select) {
  min-width: 190px;
}
.block {
  overflow-wrap: anywhere;
  display: block;
}
.busy {
  opacity: 0.6;
}
.entry {
  padding: 4px 0;
  border-bottom: 1px dotted var(--rule);
}
.entry code {
  display: block;
  color: var(--soft);
  font-size: 11px;
}
.first {
  margin-top: 0;
}
</style>
