<script setup lang="ts">
import { useSession } from '~/stores/session'

const session = useSession()
const {
  data: page,
  refusal,
  reload,
} = useLoad(() => api.listPipelines({ limit: 100 }), ['promotion', 'pipeline'])
const opened = ref('')
const mayWrite = computed(() => session.person?.role === 'governance')
const { busy, refusal: refused, act } = useAct()
async function first(pipeline: string) {
  await act(() => api.movePipelineFirst({ pipeline }))
  await reload()
}
</script>

<template>
  <Leaf>
    <h1>Promotions and changes</h1>
    <p v-if="page" class="sentence">
      Versions take the first of <b>{{ count(page.items.length, 'pipeline', 'pipelines') }}</b> that
      is for their API.
    </p>
    <Leaves :leaves="promotionLeaves">
      <NuxtLink v-if="mayWrite" class="fill" to="/promotions/pipelines/new">New pipeline</NuxtLink>
    </Leaves>
    <Trouble :refusal="refusal ?? refused" />
    <section v-for="(item, index) in page?.items" :key="item.pipeline" class="pipeline">
      <h2>
        <NuxtLink v-if="item.edition > 0" :to="`/promotions/pipelines/${item.pipeline}`">{{
          item.title
        }}</NuxtLink>
        <template v-else>{{ item.title }}</template>
        <small>
          {{ takersOf(item) }} ·
          <button
            class="plain"
            :aria-expanded="opened === item.pipeline"
            @click="opened = opened === item.pipeline ? '' : item.pipeline"
          >
            {{ count(item.apis.length, 'API', 'APIs') }}
          </button>
        </small>
      </h2>
      <ApiNames v-if="opened === item.pipeline" :apis="item.apis" />
      <ol>
        <li v-for="stage in item.stages" :key="stage.name">
          <b>{{ stage.name }}</b>
          <span v-for="gate in stage.gates" :key="gate">{{ gate }}</span>
          <span v-if="stage.gates.length === 0" class="soft">nothing stands before it</span>
          <span v-for="line in stage.then" :key="line" class="soft">{{ line }}</span>
        </li>
      </ol>
      <p class="soft small">
        <template v-if="item.publishedAt">
          Edition {{ item.edition }}, {{ item.publishedBy }}, {{ moment(item.publishedAt) }}
        </template>
        <template v-else>Holds where nobody wrote another one.</template>
        <button
          v-if="mayWrite && item.edition > 0 && index > 0"
          class="plain"
          :disabled="busy"
          @click="first(item.pipeline)"
        >
          Ask it first
        </button>
      </p>
    </section>
    <PromotionSources :may-write="mayWrite" />
    <template #margin>
      <h2>How a version reaches the last stage</h2>
      <p>
        A version is placed in the first stage of its pipeline. Before each other stage stand gates;
        when all of them are open, it may be promoted. They are judged when somebody looks, and once
        more in the act.
      </p>
      <p class="soft">
        A pipeline is a text in editions. Before one is published you see whose it would be, and how
        waiting promotions would stand.
      </p>
    </template>
  </Leaf>
</template>

<style scoped>
.pipeline {
  margin: 18px 0 22px;
}
.pipeline h2 {
  font-size: 17px;
  margin: 0 0 8px;
}
.pipeline h2 small {
  font-family: var(--body);
  font-weight: 400;
  font-size: 12.5px;
  color: var(--soft);
  margin-left: 8px;
}
.pipeline ol {
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: 22px;
  margin: 0;
  padding: 0;
}
.pipeline li {
  flex: 1 1 180px;
  max-width: 260px;
  border-top: 2px solid var(--ink);
  padding-top: 6px;
  font-size: 12.5px;
}
.pipeline li b,
.pipeline li span {
  display: block;
}
.pipeline li b {
  font-size: 14px;
  margin-bottom: 3px;
}
.pipeline li span {
  padding: 2px 0;
  border-top: 1px dotted var(--rule);
}
</style>
