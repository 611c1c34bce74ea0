<script setup lang="ts">
import { refText } from '~~/core/pipeline/refs'
import { useSession } from '~/stores/session'

const session = useSession()
const { data: page, refusal } = useLoad(() => api.listRepositories({}), ['repository'])
const { data: jobs } = useLoad(() => api.listRepositoryJobs({ limit: 100 }), ['repository'])
const { filters, set, toggle, clear, any } = useFilters(['state', 'repository'] as const)
const items = computed(() => page.value?.items ?? [])
const inState = (state: string) =>
  jobs.value?.items.filter((job) => job.state === state).length ?? 0
const underWay = computed(() => inState('running') + inState('waiting'))
const shown = computed(() =>
  (jobs.value?.items ?? []).filter(
    ({ state, repository }) =>
      (!filters.value.state || state === filters.value.state) &&
      (!filters.value.repository || repository === filters.value.repository),
  ),
)
const mayConnect = computed(() =>
  ['governance', 'owner'].includes(session.person?.role ?? 'reader'),
)
const chips = computed(() => [
  {
    name: 'state' as const,
    label: 'State',
    options: (['waiting', 'running', 'done', 'failed', 'cancelled'] as const).map((value) => ({
      value,
      label: jobWord(value),
    })),
  },
  {
    name: 'repository' as const,
    label: 'Repository',
    options: items.value.map(({ repository, title }) => ({ value: repository, label: title })),
  },
])
</script>

<template>
  <Leaf>
    <h1>Promotions and changes</h1>
    <p v-if="page" class="sentence">
      Definitions come from <b>{{ count(items.length, 'repository', 'repositories') }}</b>; of the
      last jobs,
      <button
        class="copper"
        :aria-pressed="filters.state === 'failed'"
        @click="toggle('state', 'failed')"
      >
        {{ inState('failed') }} failed</button
      >,
      <button :aria-pressed="filters.state === 'done'" @click="toggle('state', 'done')">
        {{ inState('done') }} are done</button
      >{{ underWay ? `, and ${underWay} under way` : '' }}.
    </p>
    <Leaves :leaves="promotionLeaves">
      <NuxtLink v-if="mayConnect" class="fill" to="/promotions/repositories/new"
        >Connect a repository</NuxtLink
      >
    </Leaves>
    <Trouble :refusal="refusal" />
    <div v-if="page && !items.length" class="empty">
      <p>
        No repository is connected yet. With one, a push is enough: what changed is read, compared,
        saved, and placed or asked for as its pipeline says.
      </p>
    </div>
    <table v-else-if="page" class="ruled">
      <thead>
        <tr>
          <th>Repository</th>
          <th>Branches and tags</th>
          <th>Definitions</th>
          <th>Last job</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in items" :key="item.repository">
          <td>
            <NuxtLink :to="`/promotions/repositories/${item.repository}`">{{
              item.title
            }}</NuxtLink>
            <div class="soft small">{{ item.team }}</div>
            <div v-if="item.trouble" class="copper-text small">{{ item.trouble }}</div>
          </td>
          <td class="small">
            <div v-for="rule in item.refs" :key="rule.kind + rule.name">
              <span class="mono">{{ rule.kind === 'tag' ? 'tag ' : '' }}{{ rule.name }}</span>
              to {{ rule.stage }}
            </div>
          </td>
          <td class="small">
            <div v-for="definition in item.definitions" :key="definition.path">
              <span class="mono path">{{ definition.path }}</span>
              <NuxtLink v-if="definition.api" class="plain" :to="`/apis/${definition.api}`">{{
                definition.api
              }}</NuxtLink>
              <span v-else class="soft">a new API</span>
            </div>
          </td>
          <td class="small">
            <NuxtLink v-if="item.last" :to="`/promotions/jobs/${item.last.job}`">
              <span :class="jobTint(item.last.state)">{{ jobWord(item.last.state) }}</span>
              {{ ago(item.last.at) }}
            </NuxtLink>
            <span v-else class="soft">none yet</span>
          </td>
        </tr>
      </tbody>
    </table>
    <template v-if="items.length">
      <h3>Jobs <small>the last hundred</small></h3>
      <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
      <p v-if="jobs && !shown.length" class="soft">No job fits these filters.</p>
      <table v-else class="ruled">
        <thead>
          <tr>
            <th>Job</th>
            <th>Commit</th>
            <th>To</th>
            <th>State</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="job in shown" :key="job.job">
            <td class="small">
              <NuxtLink :to="`/promotions/jobs/${job.job}`">{{ job.job }}</NuxtLink>
              <div class="soft">{{ causeWord(job.cause) }}, {{ ago(job.at) }}</div>
            </td>
            <td class="small">
              <span class="mono">{{ refText(job.ref) }} {{ shortCommit(job.commit) }}</span>
              <div class="soft">{{ job.message }}{{ job.author && ` (${job.author})` }}</div>
            </td>
            <td class="small">{{ job.stage }}</td>
            <td class="small">
              <span :class="jobTint(job.state)">{{ jobWord(job.state) }}</span>
              <div class="soft">{{ job.says }}</div>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
    <template #margin>
      <h2>A push is enough</h2>
      <p>
        Each branch or tag belongs to a stage. When it moves, a job reads the definitions at its
        commit, compares them with the newest revisions, checks and saves them.
      </p>
      <p>
        In the first stage of its pipeline a version is placed at once; for a later one its
        promotion is asked for, and gates and approvals are as everywhere.
      </p>
      <p class="soft">
        The host tells of pushes by a signed webhook; without one, branches are looked at every
        minute. The commit is told how it fared.
      </p>
    </template>
  </Leaf>
</template>

<style scoped>
.path {
  display: block;
  overflow-wrap: anywhere;
}
</style>
