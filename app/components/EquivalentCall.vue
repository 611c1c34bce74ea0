<script setup lang="ts">
import { shellQuoted } from '~~/core/text/shell'

/** The same act as a call of the API, to be copied into a terminal. */
const props = defineProps<{
  method: string
  path: string
  body?: unknown
  ifMatch?: string | undefined
}>()
const command = computed(() =>
  [
    `curl -X ${props.method} ${shellQuoted(`${location.origin}/api/v1${props.path}`)}`,
    `-H "Authorization: Bearer $ELM_TOKEN"`,
    ...(props.ifMatch === undefined ? [] : [`-H ${shellQuoted(`If-Match: ${props.ifMatch}`)}`]),
    ...(props.body === undefined
      ? []
      : [`-H 'Content-Type: application/json'`, `-d ${shellQuoted(JSON.stringify(props.body))}`]),
  ].join(' \\\n  '),
)
</script>

<template>
  <details class="soft small">
    <summary>The same call for a terminal</summary>
    <pre tabindex="0">{{ command }}</pre>
  </details>
</template>

<style scoped>
pre {
  font: 11px/1.5 var(--mono);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 240px;
  overflow: auto;
  margin: 4px 0;
}
</style>
