<script setup lang="ts">
import type { ReactionItem } from '~~/shared/api/drift'
import { driftReactionNames } from '~~/shared/words'
import { useSession } from '~/stores/session'

const session = useSession()
const { data, refusal, reload } = useLoad(() => api.listDriftReactions(), ['group', 'person'])
const items = computed(() => data.value?.items ?? [])
const { busy, refusal: refused, act } = useAct()
const may = computed(() => session.person?.role === 'governance')

/** What is being written, by group and stage, until it is kept. */
const drafts = ref<Record<string, Pick<ReactionItem, 'reaction' | 'minutes'>>>({})
const keyOf = ({ group, stage }: ReactionItem) => `${group} ${stage}`
const draftOf = (item: ReactionItem) =>
  drafts.value[keyOf(item)] ?? { reaction: item.reaction, minutes: item.minutes || 10 }
const write = (item: ReactionItem, change: Partial<ReactionItem>) => {
  drafts.value = { ...drafts.value, [keyOf(item)]: { ...draftOf(item), ...change } }
}
async function keep(item: ReactionItem) {
  const { group, stage } = item
  const { reaction, minutes } = draftOf(item)
  const body = { reaction, minutes: reaction === 'report' ? 0 : Math.round(Number(minutes)) }
  const done = await act(() => api.setDriftReaction({ group, stage }, body))
  if (!done) return
  const { [keyOf(item)]: _, ...others } = drafts.value
  drafts.value = others
  await reload()
}
const acting = computed(() => items.value.filter(({ reaction }) => reaction !== 'report').length)
const isChanged = (item: ReactionItem) => {
  const draft = drafts.value[keyOf(item)]
  if (!draft) return false
  const same = draft.reaction === item.reaction
  return !same || (draft.reaction !== 'report' && Number(draft.minutes) !== item.minutes)
}
const options = (item: ReactionItem) =>
  driftReactionNames
    .filter((name) => name !== 'ask' || item.stage !== session.shell?.stages[0])
    .map((value) => ({ value, label: reactionWords[value] }))
</script>

<template>
  <Leaf>
    <h1>Drift</h1>
    <p v-if="data" class="sentence">
      {{
        acting
          ? `In ${count(acting, 'place')} something happens by itself; everywhere else drift is reported, and people decide.`
          : 'Nothing happens by itself: drift is reported, and people decide.'
      }}
    </p>
    <Leaves :leaves="driftLeaves" />
    <Trouble :refusal="refusal ?? refused" />
    <table v-if="items.length" class="ruled">
      <thead>
        <tr>
          <th>Gateways</th>
          <th>Stage</th>
          <th>What happens</th>
          <th>After</th>
          <th>Set by</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in items" :key="keyOf(item)">
          <td>{{ item.group }}</td>
          <td>{{ item.stage }}</td>
          <td>
            <Choice
              v-if="may"
              :aria-label="`What happens at ${item.group} in ${item.stage}`"
              :model-value="draftOf(item).reaction"
              :options="options(item)"
              @update:model-value="$event && write(item, { reaction: $event })"
            />
            <template v-else>{{ reactionWords[item.reaction] }}</template>
            <div v-if="!item.holds" class="small copper-text">
              {{ item.setBy }} may not do this any more, so nothing happens. Somebody else sets it.
            </div>
          </td>
          <td class="nowrap">
            <template v-if="draftOf(item).reaction === 'report'"
              ><span class="soft">at once</span></template
            >
            <label v-else-if="may"
              ><input
                class="minutes"
                type="number"
                min="1"
                max="10080"
                :aria-label="`Minutes at ${item.group} in ${item.stage}`"
                :value="draftOf(item).minutes"
                @input="write(item, { minutes: Number(($event.target as HTMLInputElement).value) })"
              />
              minutes</label
            >
            <template v-else>{{ count(item.minutes, 'minute') }}</template>
          </td>
          <td class="small">
            <template v-if="item.setBy"
              >{{ item.setBy
              }}<span v-if="item.setAt" class="soft">, {{ moment(item.setAt) }}</span></template
            >
          </td>
          <td>
            <button v-if="isChanged(item)" class="fill" :disabled="busy" @click="keep(item)">
              Keep
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <h2>What happens by itself</h2>
      <p><b>Report it</b>: it stands under Now and in the register. Nothing else.</p>
      <p>
        <b>Ask for it to be put back</b>: a request is made in the name of whoever set this, and
        somebody else approves it.
      </p>
      <p>
        <b>Put the ledger back</b>: after so many minutes the gateways are made to run what was
        approved. It is a rollout like any other, and stands in the ledger.
      </p>
      <p class="soft">
        What is accepted until a day is left alone. What comes back after it was put back three
        times within a day is left alone too, and told: somebody, or some program, works against it.
      </p>
      <p v-if="!may" class="soft">Setting this takes the role governance.</p>
    </template>
  </Leaf>
</template>

<style scoped>
.minutes {
  width: 76px;
}
</style>
