<script setup lang="ts">
import { newDefinition } from '~~/core/edit/new-definition'

/** A few fields from which a new OpenAPI definition is written. */
defineProps<{ busy: boolean }>()
const emit = defineEmits<{ written: [text: string, file: string] }>()

const fields = reactive({
  title: '',
  version: '0.1.0',
  description: '',
  contactName: '',
  contactEmail: '',
  server: '',
})
const write = () => emit('written', newDefinition(fields), `${fields.title.trim()}.yaml`)
</script>

<template>
  <form class="fresh" @submit.prevent="write()">
    <label class="field"><span>Title</span><InputText v-model="fields.title" /></label>
    <label class="field"
      ><span>Version</span><InputText v-model="fields.version" class="mono"
    /></label>
    <label class="field wide"
      ><span>What it is for</span><InputText v-model="fields.description"
    /></label>
    <label class="field"><span>Contact</span><InputText v-model="fields.contactName" /></label>
    <label class="field"
      ><span>Contact’s e-mail</span><InputText v-model="fields.contactEmail" type="email"
    /></label>
    <label class="field wide"
      ><span>Address</span><InputText v-model="fields.server" class="mono" placeholder="https://"
    /></label>
    <button class="ghost" :disabled="busy || !fields.title.trim() || !fields.version.trim()">
      Write it
    </button>
    <p class="soft small wide">
      It begins as OpenAPI 3.1 without operations; add them under Source.
    </p>
  </form>
</template>

<style scoped>
.fresh {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 18px;
  margin-top: 8px;
}
.wide {
  grid-column: 1 / -1;
}
.ghost {
  justify-self: start;
}
</style>
