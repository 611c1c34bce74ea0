<script setup lang="ts">
import type { SentRequest } from '~/composables/useDeskHistory'

/** The requests that were sent before: to be sent again, and two of them to be compared. */
const props = defineProps<{ sent: readonly SentRequest[] }>()
const emit = defineEmits<{ again: [request: SentRequest]; clear: [] }>()
const chosen = ref<number[]>([])
const choose = (id: number, isChosen: boolean) =>
  (chosen.value = isChosen
    ? [...chosen.value, id].slice(-2)
    : chosen.value.filter((one) => one !== id))
const pair = computed(() => {
  const [first, second] = props.sent
    .filter(({ id }) => chosen.value.includes(id))
    .sort((a, b) => a.id - b.id)
  return first && second ? { before: exchangeText(first), after: exchangeText(second) } : undefined
})
const words = ref('')
const shown = computed(() =>
  props.sent.filter(({ label, method, path, response }) =>
    `${label} ${method} ${path} ${response.status}`
      .toLowerCase()
      .includes(words.value.toLowerCase()),
  ),
)
</script>

<template>
  <section class="history">
    <h3>
      <span>Sent before</span>
      <small>in this tab, without credentials; choose two to compare them</small>
    </h3>
    <div class="bar">
      <InputText v-model="words" type="search" placeholder="Filter" aria-label="Filter requests" />
      <button type="button" class="plain" @click="emit('clear')">Forget them</button>
    </div>
    <table class="ruled">
      <tbody>
        <tr v-for="request in shown" :key="request.id">
          <td>
            <Checkbox
              :model-value="chosen.includes(request.id)"
              binary
              :aria-label="`Compare ${request.method} ${request.path} of ${moment(request.at)}`"
              @update:model-value="choose(request.id, $event)"
            />
          </td>
          <td class="mono">{{ moment(request.at) }}</td>
          <td>
            <button type="button" class="plain mono" @click="emit('again', request)">
              {{ request.method }} {{ request.path }}
            </button>
            <div class="soft small">
              {{ request.label }}{{ request.gateway ? `, ${request.gateway}` : '' }}
            </div>
          </td>
          <td class="mono right" :class="{ bad: request.response.status >= 400 }">
            {{ request.response.status }}
          </td>
          <td class="mono right soft">{{ request.response.ms }} ms</td>
        </tr>
      </tbody>
    </table>
    <TextChange v-if="pair" :before="pair.before" :after="pair.after" syntax="yaml" />
  </section>
</template>

<style scoped>
.history {
  margin-top: 18px;
}
td .plain {
  text-align: left;
  overflow-wrap: anywhere;
}
.bad {
  color: var(--copper);
}
</style>
