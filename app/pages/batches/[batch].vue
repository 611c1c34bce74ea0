<script setup lang="ts">
import type { Batch, BatchItem } from '~~/shared/api/batches'
import { audiences, type Audience } from '~~/shared/words'

const id = String(useRoute().params['batch'])
const session = useSession()
const {
  data: batch,
  refusal,
  reload,
} = useLoad(() => api.getBatch({ batch: id }), ['batch', 'intake'])
const { filters, set, toggle } = useFilters(['outcome', 'q'])
const { busy, refusal: actRefusal, act } = useAct()
const team = ref(session.person?.team ?? '')
const audience = ref<Audience>()
const without = ref(new Set<string>())

const working = computed(
  () => batch.value && ['waiting', 'unpacking', 'reading', 'accepting'].includes(batch.value.state),
)
useRepeating(() => working.value, reload)

const outcomes: Record<string, string> = {
  added: 'new',
  revised: 'new revision',
  unchanged: 'unchanged',
  refused: 'not taken',
  part: 'part of another',
}
const outcomeOf = (item: BatchItem) => item.outcome ?? 'reading'
const counts = computed(() => {
  const found = new Map<string, number>()
  for (const item of batch.value?.items ?? []) {
    found.set(outcomeOf(item), (found.get(outcomeOf(item)) ?? 0) + 1)
  }
  return [...found].filter(([outcome]) => outcome !== 'reading')
})
/** Rows that are drawn at first; thousands would be slow to look at while the numbers change. */
const atFirst = 200
const drawsAll = ref(false)
const found = computed(() =>
  (batch.value?.items ?? []).filter(
    (item) =>
      (!filters.value.outcome || outcomeOf(item) === filters.value.outcome) &&
      `${item.source} ${item.title ?? ''}`.toLowerCase().includes(filters.value.q.toLowerCase()),
  ),
)
const items = computed(() => (drawsAll.value ? found.value : found.value.slice(0, atFirst)))
const { selected } = useRows(() => items.value, {
  open: (item) => item.api && navigateTo(`/apis/${item.api}`),
})
const entering = (item: BatchItem) => item.outcome === 'added' || item.outcome === 'revised'
const chosen = computed(() =>
  (batch.value?.items ?? []).filter((item) => entering(item) && !without.value.has(item.id)),
)
const anyNew = computed(() => chosen.value.some((item) => item.outcome === 'added'))
function leaveOut(item: BatchItem) {
  const next = new Set(without.value)
  if (!next.delete(item.id)) next.add(item.id)
  without.value = next
}
const says: Record<Batch['state'], string> = {
  waiting: 'Waiting for the worker',
  unpacking: 'Unpacking',
  reading: 'Reading and checking',
  ready: 'Read',
  accepting: 'Entering into the register',
  done: 'Brought in',
  stopped: 'Stopped; nothing of it stayed half done',
  failed: 'Not read',
}
const accept = () =>
  act(async () => {
    batch.value = await api.acceptBatch(
      { batch: id },
      {
        team: team.value,
        audience: audience.value!,
        without: [...without.value],
      },
    )
  })
const stop = () =>
  act(async () => {
    batch.value = await api.cancelBatch({ batch: id })
  })
</script>

<template>
  <Leaf>
    <div class="crumb">
      <NuxtLink to="/">Register</NuxtLink> / <NuxtLink to="/bring-in">Bring in</NuxtLink>
    </div>
    <Trouble :refusal="refusal" />
    <template v-if="batch">
      <h1>{{ batch.source }}</h1>
      <p class="sentence" role="status">
        {{ says[batch.state]
        }}<template v-if="working && batch.total"
          >: {{ figure(batch.done) }} of {{ figure(batch.total) }}</template
        >.
        <template v-for="[outcome, n] in counts" :key="outcome">
          <button :aria-pressed="filters.outcome === outcome" @click="toggle('outcome', outcome)">
            {{ figure(n) }} {{ outcomes[outcome]
            }}{{ outcome === 'revised' && n > 1 ? 's' : '' }}</button
          >{{ ' ' }}
        </template>
      </p>
      <div v-if="working" class="working">
        <progress :value="batch.total ? batch.done : undefined" :max="batch.total || 1" />
        <button class="ghost" :disabled="busy" @click="stop()">Stop</button>
        <span class="soft"
          >You can leave this page and come back; the address keeps your place.</span
        >
      </div>
      <p v-if="batch.trouble" class="trouble" role="alert">{{ batch.trouble }}</p>
      <Trouble :refusal="actRefusal" />
      <form
        v-if="batch.state === 'ready' && chosen.length"
        class="bar accept"
        @submit.prevent="accept()"
      >
        <template v-if="anyNew">
          <Choice
            v-model="team"
            :options="session.shell?.teams ?? []"
            placeholder="Owning team"
            aria-label="Owning team"
          />
          <Choice
            v-model="audience"
            :options="audiences"
            placeholder="Audience"
            aria-label="Audience"
          />
        </template>
        <button class="fill" :disabled="busy || (anyNew && (!team || !audience))">
          Bring in {{ count(chosen.length, 'definition') }}
        </button>
        <span class="soft">All together, or none if it is stopped.</span>
      </form>
      <p v-else-if="batch.state === 'ready'" class="good">
        There is nothing to bring in.
        <NuxtLink class="plain" to="/bring-in">Choose something else</NuxtLink>
      </p>
      <p v-else-if="batch.state === 'done'" class="good">
        <NuxtLink class="plain" to="/">See the register</NuxtLink> or
        <NuxtLink class="plain" to="/bring-in">bring in more</NuxtLink>.
      </p>
      <div v-if="batch.items.length > 8" class="bar">
        <input
          class="filter"
          type="search"
          placeholder="Filter by name"
          aria-label="Filter by name"
          :value="filters.q"
          @input="set({ q: textOf($event) })"
        />
      </div>
      <table v-if="batch.items.length" class="ruled">
        <thead>
          <tr>
            <th class="source">File or address</th>
            <th>Title</th>
            <th class="right">Operations</th>
            <th>Becomes</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="(item, i) in items"
            :key="item.id"
            :class="{ on: i === selected }"
            @click="selected = i"
          >
            <td class="mono source">
              {{ item.source
              }}<span v-if="item.files > 1" class="soft"> +{{ item.files - 1 }}</span>
              <small v-if="item.problem" class="said" :class="{ wrong: item.errors }">{{
                item.problem
              }}</small>
            </td>
            <td>
              {{ item.title }} <span class="mono soft">{{ item.version }}</span>
              <span v-if="item.format" class="fmt">{{ item.format }}</span>
            </td>
            <td class="right mono">{{ item.operations }}</td>
            <td>
              {{ outcomes[outcomeOf(item)] ?? item.state
              }}<template v-if="item.api"
                >{{ outcomeOf(item) === 'revised' ? ' of ' : ', '
                }}<NuxtLink class="plain" :to="`/apis/${item.api}`">{{
                  item.api
                }}</NuxtLink></template
              >
              <span v-if="item.warnings + item.errors" class="soft">
                · {{ count(item.warnings + item.errors, 'problem') }}</span
              >
            </td>
            <td class="right">
              <button
                v-if="batch.state === 'ready' && entering(item)"
                class="plain"
                @click.stop="leaveOut(item)"
              >
                {{ without.has(item.id) ? 'Include' : 'Exclude' }}
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="items.length < found.length">
        <button class="ghost" @click="drawsAll = true">
          Show {{ figure(found.length - items.length) }} more
        </button>
      </p>
    </template>
  </Leaf>
</template>

<style scoped>
.working {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-bottom: 12px;
}
progress {
  width: 260px;
  accent-color: var(--elm);
}
.accept {
  margin-bottom: 14px;
}
.source {
  overflow-wrap: anywhere;
  width: 38%;
}
.fmt {
  margin-left: 6px;
}
.said {
  display: block;
  color: var(--soft);
}
.said.wrong {
  color: var(--copper);
}
.filter {
  border: 1px solid var(--rule);
  border-radius: 5px;
  background: var(--paper);
  color: var(--ink);
  padding: 4px 9px;
}
</style>
