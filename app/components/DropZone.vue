<script setup lang="ts">
/** A place to drop files, folders and archives on, or to choose them. */
defineProps<{ folders?: boolean }>()
const emit = defineEmits<{ files: [files: NamedFile[]] }>()

const accepted = '.yaml,.yml,.json,.raml,.wsdl,.wadl,.xsd,.xml,.txt,.zip,.tar,.tgz,.gz'
const over = ref(false)

function take(files: NamedFile[]) {
  if (files.length > 0) emit('files', files)
}
async function drop(transfer: DataTransfer | null) {
  over.value = false
  if (transfer) take(await droppedFiles(transfer))
}
</script>

<template>
  <div
    class="drop"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="drop($event.dataTransfer)"
  >
    <p><slot>Drop a file, a folder or an archive here</slot></p>
    <label class="ghost"
      >or choose files<input
        type="file"
        class="sr"
        :multiple="folders"
        :accept="accepted"
        @change="take(chosenFiles(inputOf($event).files))"
    /></label>
    <label v-if="folders" class="ghost"
      >or a folder<input
        type="file"
        class="sr"
        webkitdirectory
        @change="take(chosenFiles(inputOf($event).files))"
    /></label>
  </div>
</template>

<style scoped>
.drop {
  border: 1.5px dashed var(--line);
  border-radius: 8px;
  background: var(--paper);
  padding: 18px;
  text-align: center;
}
.drop.over {
  border-color: var(--elm);
  background: var(--elm-wash);
}
.drop:focus-within {
  outline: 2px solid var(--elm);
}
.drop p {
  margin: 0 0 8px;
  font-weight: 600;
}
.ghost {
  margin: 0 4px;
}
</style>
