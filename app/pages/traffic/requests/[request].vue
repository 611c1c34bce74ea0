<script setup lang="ts">
/** One request by its identifier: every step of its way, and what was kept of it. */
const route = useRoute()
const id = computed(() => String(route.params['request']))
const { data: request, refusal } = useLoad(
  () => api.getRequest({ request: id.value }),
  [],
  () => id.value,
)
const stops = computed(() => request.value?.steps.filter(({ passed }) => !passed) ?? [])
</script>

<template>
  <Leaf>
    <h1>Request</h1>
    <p v-if="request" class="sentence">
      <code>{{ id }}</code> was answered <b>{{ request.status }}</b> by {{ request.gateway }} at
      {{ moment(request.at) }}<template v-if="stops[0]">: {{ stops[0].text }}</template
      >.
    </p>
    <Leaves :leaves="trafficLeaves" />
    <Trouble :refusal="refusal" />
    <div v-if="refusal" class="empty">
      <p>
        Of requests that go well only a share is kept, and a gateway’s log has its last few
        thousand.
      </p>
      <NuxtLink class="ghost" to="/traffic/requests">All that were kept</NuxtLink>
    </div>
    <template v-if="request">
      <h3>
        Its way <small>{{ count(request.steps.length, 'step') }}</small>
      </h3>
      <p v-if="request.trouble" class="soft">{{ request.trouble }}</p>
      <ol class="steps">
        <li v-for="(step, index) in request.steps" :key="index" :class="{ stopped: !step.passed }">
          <b>{{ stepTitle(step.name) }}</b>
          <span aria-hidden="true">{{ step.passed ? '✓' : '✕' }}</span>
          <div>
            <span class="sr">{{ step.passed ? 'passed:' : 'stopped:' }}</span> {{ step.text }}
            <NuxtLink
              v-if="step.policy && request.placement"
              class="small"
              :to="{ path: `/placements/${request.placement}`, query: { policy: step.policy } }"
              >{{ policyTitle(step.policy) }}</NuxtLink
            >
          </div>
        </li>
      </ol>
      <p v-if="request.isLogged" class="soft">
        It was not kept; this is what the gateway has in its log.
      </p>
    </template>
    <template #margin>
      <RequestFacts v-if="request" :request="request" />
    </template>
  </Leaf>
</template>

<style scoped>
.steps {
  list-style: none;
  margin: 8px 0;
  padding: 0;
}
.steps li {
  display: grid;
  grid-template-columns: 110px 20px 1fr;
  gap: 8px;
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
}
.steps li > span {
  color: var(--elm);
}
.steps .stopped > span,
.steps .stopped > div {
  color: var(--copper);
}
</style>
