<script setup lang="ts">
import type { RulebookDraft } from '~~/shared/api/rules'

/** What a draft changes, publishing it as an edition, and whether others may read it. */
const props = defineProps<{
  draft: RulebookDraft
  rulebook: string
  dirty: boolean
  busy: boolean
  faulty: boolean
}>()
const emit = defineEmits<{ publish: [note: string]; show: [shown: boolean] }>()

const note = ref('')
watch(
  () => props.draft.edition,
  () => (note.value = ''),
)
</script>

<template>
  <h3>
    Publish <small>edition {{ draft.edition || '–' }} is in force</small>
  </h3>
  <p v-if="!draft.changes.length && !dirty" class="soft">The draft says what the edition says.</p>
  <ul v-else class="changes">
    <li v-for="says in draft.changes.slice(0, 12)" :key="says">{{ says }}</li>
    <li v-if="draft.changes.length > 12">and {{ draft.changes.length - 12 }} more</li>
    <li v-if="dirty" class="soft">what is not saved yet</li>
  </ul>
  <template v-if="draft.changes.length || dirty">
    <label class="field"
      ><span>What changes, and why</span><Textarea v-model="note" rows="2"
    /></label>
    <button
      class="ghost"
      :disabled="faulty || note.trim().length < 5 || busy"
      @click="emit('publish', note)"
    >
      Publish as an edition
    </button>
  </template>
  <h3>Read by others</h3>
  <p>
    <template v-if="draft.shown"
      ><a class="plain" :href="`/guide/${rulebook}`" target="_blank">Its page</a> is open to
      everybody.
    </template>
    <template v-else>Its page asks to sign in. </template>
    <button class="plain" @click="emit('show', !draft.shown)">
      {{ draft.shown ? 'Close it' : 'Open it to everybody' }}
    </button>
  </p>
</template>

<style scoped>
.changes {
  padding-left: 16px;
  margin: 0 0 8px;
}
</style>
