<script setup lang="ts">
import type { TaskItem } from '~~/shared/api/tasks'
import { taskKinds } from '~~/shared/words'
import { useSession } from '~/stores/session'
import { useTasks } from '~/stores/tasks'

/** What waits for whoever is signed in, what is due first first, each with the act at hand. */
const session = useSession()
const tasks = useTasks()
const { filters, set, toggle, clear, any } = useFilters(['kind', 'api', 'due', 'task'] as const)
const all = computed(() => tasks.items ?? [])
const isOverdue = ({ due }: TaskItem) => due !== undefined && daysUntil(due) < 0
const shown = computed(() =>
  all.value.filter(
    (task) =>
      (!filters.value.kind || task.kind === filters.value.kind) &&
      (!filters.value.api || task.api === filters.value.api) &&
      (filters.value.due !== 'overdue' || isOverdue(task)),
  ),
)
const { selected, current } = useRows(() => shown.value, {
  open: (row) => navigateTo(placeOf(row, session.person?.name)),
  naming: { key: (row) => row.task, wanted: () => filters.value.task },
})
const overdue = computed(() => all.value.filter(isOverdue).length)
/** The kinds that there are, the most first. */
const kinds = computed(() =>
  taskKinds
    .map((kind) => ({ kind, n: all.value.filter((task) => task.kind === kind).length }))
    .filter(({ n }) => n > 0)
    .sort((one, other) => other.n - one.n),
)
const done = ref('')
async function finished(task: TaskItem) {
  done.value = `Done, and off your list: ${task.title}`
  await tasks.load()
}
const requestKinds = ['approval', 'ready', 'gate-waiver', 'emergency']
const chips = computed(() => [
  {
    name: 'kind' as const,
    label: 'What',
    options: kinds.value.map(({ kind }) => ({ value: kind, label: taskWord(kind) })),
  },
  {
    name: 'api' as const,
    label: 'API',
    options: choicesIn(
      [
        // One whose last thing was done is still what is filtered by.
        ...(filters.value.api ? [{ api: filters.value.api, apiTitle: filters.value.api }] : []),
        ...all.value.filter((task) => task.api),
      ],
      (task) => task.api!,
      (task) => task.apiTitle!,
    ),
  },
])
</script>

<template>
  <Leaf>
    <h1>What waits for you</h1>
    <p v-if="tasks.items" class="sentence">
      {{ all.length === 0 ? 'Nothing' : spelled(all.length) }}
      {{ all.length === 1 ? 'thing waits' : all.length === 0 ? 'waits' : 'things wait'
      }}<template v-if="overdue"
        >,
        <button
          class="copper"
          :aria-pressed="filters.due === 'overdue'"
          @click="toggle('due', 'overdue')"
        >
          {{ overdue }} overdue
        </button></template
      ><template v-for="({ kind, n }, index) in kinds" :key="kind"
        >{{ index === 0 ? ': ' : ', '
        }}<button :aria-pressed="filters.kind === kind" @click="toggle('kind', kind)">
          {{ taskCount(n, kind) }}
        </button></template
      >.
    </p>
    <Trouble :refusal="tasks.refusal" />
    <p v-if="done" class="good" role="status">{{ done }}</p>
    <FilterBar
      v-if="all.length"
      :filters="filters"
      :chips="chips"
      :any="any"
      @set="set"
      @clear="clear()"
    />
    <div v-if="tasks.items && !shown.length" class="empty">
      <p v-if="any">Nothing waits for you with these filters.</p>
      <template v-else>
        <p>
          Nobody waits for you. What comes here is what only you or people of your role can do:
          approvals, waivers, drift in the APIs of your team, definitions that stand nowhere yet,
          and jobs that failed.
        </p>
        <p><NuxtLink class="ghost" to="/">Go to the register</NuxtLink></p>
      </template>
    </div>
    <table v-else-if="tasks.items" class="ruled">
      <thead>
        <tr>
          <th>What is to be done</th>
          <th>API</th>
          <th>Waits since</th>
          <th>Due</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(task, index) in shown"
          :key="task.task"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td>
            <button class="name" @click="selected = index">{{ task.title }}</button>
            <div class="soft small">{{ clipped(task.says, 160) }}</div>
          </td>
          <td>
            <NuxtLink v-if="task.api" :to="`/apis/${task.api}`">{{ task.apiTitle }}</NuxtLink>
          </td>
          <td class="soft nowrap" :title="moment(task.since)">{{ ago(task.since) }}</td>
          <td class="nowrap" :class="{ 'copper-text': isOverdue(task) }" :title="task.due">
            {{ task.due ? dueWords(task.due) : '' }}
          </td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <template v-if="current">
        <h2>
          <NuxtLink :to="placeOf(current, session.person?.name)">{{ current.title }}</NuxtLink>
        </h2>
        <p>{{ current.says }}</p>
        <div :key="current.task">
          <TaskRequest
            v-if="requestKinds.includes(current.kind)"
            :task="current"
            :finished="finished"
          />
          <TaskRelease
            v-else-if="current.kind === 'release'"
            :task="current"
            :finished="finished"
          />
          <TaskWaiver
            v-else-if="current.kind === 'waiver' || current.kind === 'waiver-ending'"
            :task="current"
            :finished="finished"
          />
          <TaskDrift v-else-if="current.kind === 'drift'" :task="current" :finished="finished" />
          <TaskJob v-else-if="current.kind === 'job'" :task="current" :finished="finished" />
          <p v-else>
            <NuxtLink class="fill" :to="placeOf(current, session.person?.name)">{{
              {
                unplaced: 'Place it',
                fix: 'Accept or decline it',
                finding: 'See the findings',
                ending: 'See who calls it',
                probe: 'See its probes',
              }[current.kind as 'unplaced' | 'fix' | 'finding' | 'ending' | 'probe']
            }}</NuxtLink>
          </p>
        </div>
      </template>
      <TaskNotices />
    </template>
  </Leaf>
</template>
