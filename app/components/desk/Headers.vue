<script setup lang="ts">
import type { HeaderLine } from '~~/shared/api/desk'

/** Headers of a request, line by line. */
const lines = defineModel<HeaderLine[]>({ required: true })
const usual = ['Accept', 'Accept-Language', 'Prefer', 'If-None-Match', 'X-Request-Id']
</script>

<template>
  <div class="headers">
    <div v-for="(line, index) in lines" :key="index" class="line">
      <InputText
        v-model="line.name"
        class="mono name"
        list="usual-headers"
        placeholder="Header"
        :aria-label="`Name of header ${index + 1}`"
      />
      <InputText
        v-model="line.value"
        class="mono value"
        placeholder="Value"
        :aria-label="`Value of header ${index + 1}`"
      />
      <button type="button" class="plain" @click="lines = lines.filter((_, i) => i !== index)">
        Remove
      </button>
    </div>
    <datalist id="usual-headers">
      <option v-for="name in usual" :key="name" :value="name" />
    </datalist>
    <button type="button" class="plain" @click="lines = [...lines, { name: '', value: '' }]">
      Add a header
    </button>
  </div>
</template>

<style scoped>
.headers {
  margin-bottom: 12px;
}
.line {
  display: flex;
  gap: 9px;
  align-items: center;
  margin-bottom: 6px;
}
.name {
  flex: 0 1 200px;
  min-width: 0;
}
.value {
  flex: 1 1 240px;
  min-width: 0;
}
</style>
