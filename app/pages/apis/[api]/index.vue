<script setup lang="ts">
import type { ApiDetail, RevisionItem } from '~~/shared/api/catalog'
import type { LedgerEntry } from '~~/shared/api/ledger'
import { audiences, lifecycles } from '~~/shared/words'

const slug = String(useRoute().params['api'])
const session = useSession()
const { data: detail, refusal, reload } = useLoad(() => api.get<ApiDetail>(`/apis/${slug}`))
const { data: revisions } = useLoad(
  () => api.get<{ items: RevisionItem[] }>(`/apis/${slug}/revisions`),
  ['revision'],
)
const { data: entries } = useLoad(() =>
  api.get<{ items: LedgerEntry[] }>('/ledger', { search: slug, limit: 12 }),
)
const { busy, refusal: changeRefusal, act } = useAct()
const change = (what: Partial<Pick<ApiDetail, 'team' | 'audience' | 'lifecycle'>>) =>
  act(async () => {
    await api.patch(`/apis/${slug}`, what)
    await reload()
  })
</script>

<template>
  <Leaf>
    <Trouble :refusal="refusal" />
    <template v-if="detail">
      <ApiHead :detail="detail"
        ><NuxtLink class="fill" :to="`/apis/${slug}/place`">Place a version</NuxtLink></ApiHead
      >
      <p class="sentence about">{{ detail.description }}</p>
      <Trouble :refusal="changeRefusal" />
      <dl class="facts" :class="{ busy }">
        <dt>Owner</dt>
        <dd>
          <Select
            :model-value="detail.team"
            :options="session.shell?.teams ?? []"
            aria-label="Owner"
            @update:model-value="change({ team: $event })"
          />
        </dd>
        <dt>Audience</dt>
        <dd>
          <Select
            :model-value="detail.audience"
            :options="[...audiences]"
            aria-label="Audience"
            @update:model-value="change({ audience: $event })"
          />
        </dd>
        <dt>Lifecycle</dt>
        <dd>
          <Select
            :model-value="detail.lifecycle"
            :options="[...lifecycles]"
            aria-label="Lifecycle"
            @update:model-value="change({ lifecycle: $event })"
          />
        </dd>
        <dt>Contact</dt>
        <dd>{{ detail.contact || 'none given' }}</dd>
        <dt>Servers</dt>
        <dd>
          <code v-for="server in detail.servers" :key="server" class="block">{{
            server
          }}</code><span v-if="!detail.servers.length" class="soft">none named</span>
        </dd>
        <dt>Holds</dt>
        <dd>
          <NuxtLink :to="`/apis/${slug}/source`"
            >{{ count(detail.operations, 'operation') }},
            {{ count(detail.schemas, 'schema') }}</NuxtLink
          >
        </dd>
        <dt>Tags</dt>
        <dd>{{ detail.tags.join(' · ') || 'none' }}</dd>
      </dl>
      <h3>
        Revisions <small>{{ revisions?.items.length }}</small>
      </h3>
      <table class="ruled">
        <thead>
          <tr>
            <th>Revision</th>
            <th>Version</th>
            <th>must · should · may</th>
            <th>Saved</th>
            <th>By</th>
            <th class="right">Size</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in revisions?.items ?? []" :key="item.revision">
            <td>
              <NuxtLink
                class="plain"
                :to="{ path: `/apis/${slug}/source`, query: { revision: item.revision } }"
                >{{ item.revision }}</NuxtLink
              >
            </td>
            <td class="mono">
              {{ item.version }}
              <span v-if="detail.versions.includes(item.version)" class="soft small">fixed</span>
            </td>
            <td><Counts :counts="item.findings" /></td>
            <td :title="item.savedAt">{{ moment(item.savedAt) }}</td>
            <td>{{ item.savedBy }}</td>
            <td class="right mono">{{ (item.bytes / 1024).toFixed(1) }} kB</td>
          </tr>
        </tbody>
      </table>
    </template>
    <template #margin>
      <h3 class="first">
        Last in the ledger
        <small><NuxtLink :to="{ path: '/ledger', query: { search: slug } }">all</NuxtLink></small>
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
.about {
  margin-top: 14px;
}
.facts {
  display: grid;
  grid-template-columns: 90px 1fr;
  gap: 6px 12px;
  margin: 0 0 8px;
  align-items: center;
}
.facts dt {
  color: var(--soft);
}
.facts dd {
  margin: 0;
}
.facts :deep(.p-select) {
  min-width: 190px;
}
.block {
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
