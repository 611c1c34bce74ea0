<script setup lang="ts">
/** How a gateway and its targets are at this moment; asked again every few seconds while somebody looks. */
import { useIntervalFn } from '@vueuse/core'

const { name } = defineProps<{ name: string }>()
const {
  data: health,
  refusal,
  reload,
} = useLoad(
  () => api.getGatewayHealth({ gateway: name }),
  [],
  () => name,
)
useIntervalFn(() => void reload(), 5000)
const signs = { healthy: 'answers', resting: 'rests', unhealthy: 'does not answer' }
</script>

<template>
  <section>
    <h3>
      Now <small v-if="health?.answers">answers in {{ health.ms }} ms</small>
    </h3>
    <Trouble :refusal="refusal" />
    <p v-if="!health" class="soft">Asking …</p>
    <p v-else-if="!health.answers" :class="health.ms ? 'trouble' : 'soft'">{{ health.says }}.</p>
    <p v-else-if="!health.targets.length" class="soft">
      It has sent nothing anywhere since it began, and watches no target.
    </p>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>Target</th>
          <th>State</th>
          <th>Last trouble</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="target in health.targets" :key="target.url">
          <td class="mono small">{{ target.url }}</td>
          <td :class="{ bad: target.state !== 'healthy' }">{{ signs[target.state] }}</td>
          <td class="small">{{ target.says || '–' }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.bad {
  color: var(--copper);
}
</style>
