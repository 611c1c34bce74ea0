<script setup lang="ts">
import type { Intake, IntakeSummary } from '~~/shared/api/catalog'
import { audiences, type Audience } from '~~/shared/words'
import { useSession } from '~/stores/session'

/** What was read of a text, and the way into the register: as a new API, or as a version of one that is there. */
const props = defineProps<{ intake: Intake; summary: IntakeSummary; busy: boolean }>()
const emit = defineEmits<{
  /** What it refers to elsewhere may be fetched. */
  fetch: []
  accepted: [api: string]
  back: []
}>()

const session = useSession()
const team = ref(session.person?.team ?? '')
const audience = ref<Audience>()
const accepting = useAct()

const twin = computed(() => props.intake.twins[0])
const joins = computed(() => twin.value && twin.value.same !== 'content')
const fixed = computed(() => twin.value?.same === 'version' && twin.value.fixed)

async function accept() {
  const body = joins.value
    ? { api: twin.value!.api }
    : { team: team.value, audience: audience.value }
  const saved = await accepting.act(() => api.acceptIntake({ intake: props.intake.id }, body))
  if (saved) emit('accepted', saved.api)
}
</script>

<template>
  <form class="found" @submit.prevent="accept()">
    <dl>
      <dt>Title</dt>
      <dd>
        <b>{{ summary.title }}</b>
      </dd>
      <dt>Version</dt>
      <dd class="mono">
        {{ summary.version }} <span class="fmt">{{ summary.format }}</span>
      </dd>
      <dt>Holds</dt>
      <dd>
        {{ count(summary.operations, 'operation') }},
        {{ count(summary.schemas, 'schema') }}
      </dd>
      <dt>About</dt>
      <dd>{{ summary.description || 'no description' }}</dd>
      <dt>Contact</dt>
      <dd>{{ summary.contact || 'none given' }}</dd>
      <dt>Servers</dt>
      <dd class="mono">{{ summary.servers.join(', ') || 'none named' }}</dd>
      <dt>Tags</dt>
      <dd>{{ summary.tags.join(' · ') || 'none' }}</dd>
      <template v-if="intake.files.length > 1">
        <dt>Files</dt>
        <dd class="mono">{{ intake.files.join(', ') }}</dd>
      </template>
    </dl>
    <div v-if="intake.remote.length" class="good" role="status">
      It refers to {{ count(intake.remote.length, 'file') }} on other hosts, which nobody has asked:
      <code v-for="url in intake.remote.slice(0, 6)" :key="url" class="block">{{ url }}</code>
      <button type="button" class="ghost" :disabled="busy" @click="emit('fetch')">
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
          with a version {{ summary.version }}, revision {{ twin.revision }}</template
        >.
        <template v-if="fixed">
          That version is placed, so its text is fixed: raise <code>info.version</code> and bring it
          in again.</template
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
        <button type="button" class="ghost" @click="emit('back')">Choose another text</button>
      </div>
    </template>
    <button v-if="twin?.same === 'content'" type="button" class="ghost" @click="emit('back')">
      Choose another text
    </button>
  </form>
</template>

<style scoped>
.found {
  max-width: 680px;
}
dl {
  display: grid;
  grid-template-columns: 80px 1fr;
  gap: 5px 12px;
  margin: 0 0 14px;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.block {
  display: block;
}
</style>
