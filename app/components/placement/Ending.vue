<script setup lang="ts">
import { placementEtag } from '~~/shared/etags'
import type { AnnouncementRequest, CallerItem } from '~~/shared/api/endings'
import type { PlacementDetail } from '~~/shared/api/placements'
import { useSession } from '~/stores/session'

/** How a placement ends, who still calls it, and the requests that change that. */
const { placement, reviewed } = defineProps<{ placement: PlacementDetail; reviewed: boolean }>()
const session = useSession()
const may = computed(() =>
  ['governance', 'operator', 'owner'].includes(session.person?.role ?? 'reader'),
)
const page = useLoad(
  () => api.listPlacementCallers({ placement: placement.id }),
  ['placement', 'key', 'announcement', 'api'],
  () => placement.generation,
)
const { data: whole } = useLoad(() => api.getApi({ api: placement.api }), ['api'])
/** The day until which it is served: its own, or that of all of its API. */
const last = computed(
  () =>
    placement.ending?.until ??
    (whole.value?.lifecycle === 'deprecated' ? whole.value.sunset : undefined),
)
const callers = computed((): readonly CallerItem[] => page.data.value?.items ?? [])
const calls = computed(() => callers.value.reduce((sum, caller) => sum + caller.calls, 0))
const { busy, refusal, act } = useAct()
const as = ref<'deprecated' | 'retired'>('deprecated')
const until = ref('')
const note = ref('')
async function ask(ending?: { as: 'deprecated' | 'retired'; until: string }) {
  const body = { kind: 'ending' as const, note: note.value, ...(ending && { ending }) }
  const asked = await act(() =>
    api.requestChange({ placement: placement.id }, body, { ifMatch: placementEtag(placement) }),
  )
  if (asked) await navigateTo(`/promotions/${asked.id}`)
}
const announce = (body: AnnouncementRequest) =>
  api.sendEndingAnnouncement({ placement: placement.id }, body)
const suggestion = computed(
  () =>
    `${placement.title} ${placement.version} at https://${placement.host}${placement.basePath} is ${placement.ending?.as ?? 'deprecated'} and served until ${last.value}. Please move to what follows it by then.`,
)
</script>

<template>
  <div>
    <h3>How it ends</h3>
    <p v-if="placement.ending">
      It is {{ placement.ending.as }} since {{ placement.ending.since }}, and served until
      <b>{{ placement.ending.until }}</b>, {{ dueWords(placement.ending.until) }}.
      {{
        placement.ending.as === 'retired'
          ? 'There are no new keys, and it is taken off on that day.'
          : 'Callers are told in every answer (Deprecation and Sunset); somebody takes it off after that day.'
      }}
    </p>
    <p v-else-if="last">
      All of {{ placement.title }} is deprecated, and served until <b>{{ last }}</b>,
      {{ dueWords(last) }}.
    </p>
    <p v-else class="soft">No end is announced.</p>
    <p v-if="!reviewed" class="soft">
      In {{ placement.stage }}, the first stage, it is taken off at once: nobody builds on it.
    </p>
    <form v-else-if="may" class="bar" @submit.prevent="ask({ as, until })">
      <Choice
        v-model="as"
        :options="[
          { value: 'deprecated', label: 'Deprecated: both are served' },
          { value: 'retired', label: 'Retired: taken off on the day' },
        ]"
        aria-label="How it ends"
      />
      <label>Served until <input v-model="until" type="date" required /></label>
      <InputText
        v-model="note"
        class="note"
        placeholder="What reviewers should know"
        aria-label="Note"
      />
      <button class="ghost" :disabled="busy || !until">
        {{ placement.ending ? 'Ask for another end' : 'Ask for this end' }}
      </button>
      <button v-if="placement.ending" type="button" class="plain" :disabled="busy" @click="ask()">
        Ask to serve it on
      </button>
    </form>
    <Trouble :refusal="refusal" />
    <h3>
      Callers <small>{{ count(calls, 'call') }} in thirty days</small>
    </h3>
    <Trouble :refusal="page.refusal.value" />
    <p v-if="page.data.value && !callers.length" class="soft">
      Nobody called it in thirty days, and no key opens it.
    </p>
    <CallerList
      v-else-if="page.data.value"
      :callers="callers"
      :suggestion="suggestion"
      :announce="last ? announce : undefined"
      @changed="page.reload()"
    />
  </div>
</template>

<style scoped>
.note {
  flex: 1;
  min-width: 220px;
}
form {
  flex-wrap: wrap;
}
</style>
