<script setup lang="ts">
import { policyKinds } from '~~/core/runtime/policies'
import { resolvePolicies, scopeText } from '~~/core/runtime/resolve'
import { policyItems } from '~~/core/runtime/way'
import { scopeEtag } from '~~/shared/etags'
import type { PolicyPreview, PolicyScopeBody } from '~~/shared/api/policies'

/** What holds for many placements at once: for the organisation, a stage, a gateway group. */
const topics = ['policy', 'placement', 'rollout']
const { filters, set } = useFilters(['scope'] as const)
const { data: page, refusal, reload } = useLoad(() => api.listPolicyScopes(), topics)
const { data: changes, reload: reloadChanges } = useLoad(
  () => api.listPolicyChanges({ state: 'waiting' }),
  topics,
)
const { busy, refusal: actRefusal, act } = useAct()
const session = useSession()
const editable = computed(() => ['governance', 'operator'].includes(session.person?.role ?? ''))
const mayApprove = computed(() => ['governance', 'reviewer'].includes(session.person?.role ?? ''))

const scopes = computed(() => page.value?.items ?? [])
const scope = computed(
  () => scopes.value.find(({ id }) => id === filters.value.scope) ?? scopes.value[0],
)
const speaking = computed(() =>
  scopes.value.filter(({ policies }) => Object.keys(policies).length > 0),
)

/** What somebody writes; it begins with what is kept. */
const draft = ref<PolicyScopeBody>()
const begin = () => {
  const { policies, binding } = scope.value ?? { policies: {}, binding: [] }
  draft.value = structuredClone({ policies: toRaw(policies), binding: [...binding] })
  preview.value = undefined
}
const preview = shallowRef<PolicyPreview>()
const selected = ref<string>()
watch(
  () => scope.value && `${scope.value.id} ${scope.value.generation}`,
  () => {
    begin()
    selected.value = undefined
  },
  { immediate: true },
)
const changed = computed(
  () =>
    JSON.stringify(draft.value) !==
    JSON.stringify({ policies: scope.value?.policies, binding: scope.value?.binding }),
)
watch(draft, () => (preview.value = undefined), { deep: true })

const read = computed(() => readableOf(draft.value?.policies ?? {}))
const asScope = computed(() => {
  const { kind, name } = scope.value ?? { kind: 'organisation' as const, name: '' }
  const { policies } = read.value
  const binding = (draft.value?.binding ?? []).filter((one) => policies[one] !== undefined)
  return { kind, name, policies, binding }
})
const items = computed(() =>
  inOrder([...policyItems([asScope.value]), ...unfinishedItems(read.value.unfinished)]),
)
const offs = computed(() =>
  Object.entries(draft.value?.policies ?? {}).filter(([, said]) => 'off' in said),
)
const policy = computed(() => policyOf(selected.value))
const now = computed(() => policy.value && resolvePolicies([asScope.value])[policy.value])
const current = computed({
  get: (): object | undefined => policy.value && draft.value?.policies[policy.value],
  set: (next) => {
    if (!policy.value || !draft.value) return
    draft.value.policies = withSaid(draft.value.policies, policy.value, next)
    if (next === undefined || 'off' in next)
      draft.value.binding = draft.value.binding.filter((name) => name !== policy.value)
  },
})
const binding = computed({
  get: () => policy.value !== undefined && !!draft.value?.binding.includes(policy.value),
  set: (on) => {
    if (!policy.value || !draft.value) return
    const others = draft.value.binding.filter((name) => name !== policy.value)
    draft.value.binding = on ? [...others, policy.value] : others
  },
})

const look = async () => {
  preview.value = await act(() => api.previewPolicyScope({ scope: scope.value!.id }, draft.value!))
}
const note = ref('')
async function apply() {
  const { id } = scope.value!
  if (preview.value?.reviewed) {
    const asked = await act(() =>
      api.requestPolicyChange({}, { scope: id, ...draft.value!, note: note.value }),
    )
    if (asked) {
      begin()
      await reloadChanges()
      await reload()
    }
    return
  }
  const done = await act(() =>
    api.updatePolicyScope({ scope: id }, draft.value!, { ifMatch: scopeEtag(scope.value!) }),
  )
  if (isUnderWay(done)) await navigateTo(`/rollouts/${done.id}`)
  else if (done) await reload()
}

const waiting = computed(() =>
  changes.value?.items.find((change) => change.scope === scope.value?.id),
)
const effect = shallowRef<PolicyPreview>()
watch(
  () => waiting.value?.id,
  async (id) => {
    effect.value = id === undefined ? undefined : await api.previewPolicyChange({ change: id })
  },
  { immediate: true },
)
const approve = () =>
  act(async () => {
    await api.approvePolicyChange({ change: waiting.value!.id }, { digest: effect.value!.digest })
    await Promise.all([reload(), reloadChanges()])
  })
const withdraw = () =>
  act(async () => {
    await api.withdrawPolicyChange({ change: waiting.value!.id })
    await reloadChanges()
  })
const nameOf = (one: { kind: string; name: string }) =>
  one.kind === 'organisation' ? 'Organisation' : one.name
</script>

<template>
  <Leaf>
    <h1>Policies</h1>
    <p class="sentence">
      What holds for many placements at once.
      <template v-if="page"
        >{{
          speaking.length ? `${spelled(speaking.length)} of ${scopes.length} scopes` : 'No scope'
        }}
        {{ speaking.length > 1 ? 'say' : 'says' }} something<template v-if="changes?.items.length"
          >, and
          <button type="button" class="ochre" @click="set({ scope: changes.items[0]!.scope })">
            {{ count(changes.items.length, 'change waits', 'changes wait') }}
          </button>
          for approval</template
        >. The nearest scope wins, unless an outer one is binding.</template
      >
    </p>
    <Trouble :refusal="refusal" />
    <div v-if="scope && draft" class="both">
      <nav class="scopes" aria-label="Scopes">
        <button
          v-for="one in scopes"
          :key="one.id"
          type="button"
          :class="{ on: one.id === scope.id }"
          :aria-current="one.id === scope.id"
          @click="set({ scope: one.id })"
        >
          <small>{{ scopeLabel(one.kind) }}</small>
          <b>{{ nameOf(one) }}</b>
          <span class="mono">{{ Object.keys(one.policies).length || '·' }}</span>
          <small class="at">{{ count(one.placements, 'placement') }}</small>
        </button>
      </nav>
      <div class="page">
        <div v-if="waiting" class="waiting">
          <b>A change waits for approval.</b> {{ waiting.requestedBy }} asked for it
          {{ ago(waiting.requestedAt)
          }}<template v-if="waiting.note">: “{{ waiting.note }}”</template>.
          <ScopeImpact v-if="effect" :preview="effect" />
          <div class="bar">
            <button
              v-if="mayApprove"
              class="ghost"
              :disabled="busy || !effect || waiting.requestedBy === session.person?.displayName"
              @click="approve()"
            >
              Approve and roll out
            </button>
            <button v-if="editable" class="ghost" :disabled="busy" @click="withdraw()">
              Withdraw it
            </button>
            <span v-if="waiting.requestedBy === session.person?.displayName" class="soft small"
              >Somebody else approves it.</span
            >
          </div>
        </div>
        <WayLadder v-model:selected="selected" :items="items">
          <WayAddPolicy
            v-if="editable"
            :taken="Object.keys(draft.policies)"
            @add="selected = $event"
          />
        </WayLadder>
        <p v-if="!items.length" class="soft">
          Nothing is said for {{ scopeText(scope) }} yet. Add a policy, and it holds for
          {{ count(scope.placements, 'placement') }} that
          {{ scope.placements === 1 ? 'stands' : 'stand' }} in it and for those to come.
        </p>
        <p v-for="[name, said] in offs" :key="name" class="soft small">
          <button type="button" class="plain" @click="selected = name">
            {{ policyKinds[name as keyof typeof policyKinds].title }}
          </button>
          is off here: {{ 'off' in said ? said.off : '' }}
        </p>
        <template v-if="preview">
          <h3>What it does</h3>
          <ScopeImpact :preview="preview" />
        </template>
      </div>
    </div>
    <template #margin>
      <template v-if="scope && draft">
        <WayPolicyForm
          v-if="policy"
          :key="`${scope.id} ${policy}`"
          v-model="current"
          v-model:binding="binding"
          :policy="policy"
          :now="now"
          :here="scopeText(scope)"
          :editable="editable"
          bindable
        />
        <template v-else>
          <h2>{{ nameOf(scope) }}</h2>
          <p class="soft">
            {{ count(scope.placements, 'placement') }} in it.<template v-if="scope.changedBy">
              Last changed {{ ago(scope.changedAt!) }} by {{ scope.changedBy }}.</template
            >
            Choose a step to read or change it.
          </p>
        </template>
        <template v-if="editable && changed">
          <h3>Before it is applied</h3>
          <div v-for="name in read.unfinished" :key="name" class="gate">
            <i class="failed">✕</i><span>{{ policyKinds[name].title }} is not complete</span>
          </div>
          <div v-if="preview" class="gate">
            <i
              :class="preview.placements.some(({ faults }) => faults.length) ? 'failed' : 'passed'"
              >{{ preview.placements.some(({ faults }) => faults.length) ? '✕' : '✓' }}</i><span>{{
              preview.placements.length + preview.unseen
                ? `${count(preview.placements.length + preview.unseen, 'placement changes', 'placements change')}, ${preview.unchanged} stay as they are`
                : 'Nothing changes for anything that is placed'
            }}</span>
          </div>
          <div v-if="preview?.reviewed" class="gate">
            <i class="waiting">…</i
            ><span>It reaches beyond the first stage: somebody else approves it</span>
          </div>
          <label v-if="preview?.reviewed" class="field"
            ><span>What reviewers should know</span><Textarea v-model="note" rows="3"
          /></label>
          <Trouble :refusal="actRefusal" />
          <div class="bar">
            <button
              v-if="!preview"
              class="fill"
              :disabled="busy || read.unfinished.length > 0"
              @click="look()"
            >
              {{ busy ? 'Working it out …' : 'Show what it does' }}
            </button>
            <button v-else class="fill" :disabled="busy || !!waiting" @click="apply()">
              {{
                busy ? 'Applying …' : preview.reviewed ? 'Ask for the change' : 'Apply the change'
              }}
            </button>
            <button class="ghost" @click="begin()">Undo</button>
          </div>
          <EquivalentCall
            :method="preview?.reviewed ? 'POST' : 'PUT'"
            :path="
              preview?.reviewed
                ? '/policy-changes'
                : `/policy-scopes/${encodeURIComponent(scope.id)}`
            "
            :body="preview?.reviewed ? { scope: scope.id, ...draft, note } : draft"
            :if-match="preview?.reviewed ? undefined : scopeEtag(scope)"
          />
        </template>
        <Trouble v-else :refusal="actRefusal" />
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.both {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  gap: 22px;
}
.scopes {
  display: flex;
  flex-direction: column;
}
.scopes button {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  border: 0;
  border-bottom: 1px solid var(--rule);
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  padding: 6px 8px;
  cursor: pointer;
}
.scopes .on {
  background: var(--faint);
}
.scopes small {
  grid-column: 1 / -1;
  color: var(--soft);
  font-size: 11px;
}
.scopes .mono {
  font-size: 12px;
}
.waiting {
  border-left: 3px solid var(--ochre);
  padding: 2px 0 4px 10px;
  margin-bottom: 14px;
}
@container (max-width: 700px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
