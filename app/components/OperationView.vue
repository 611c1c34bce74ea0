<script setup lang="ts">
import type { Operation } from '~~/core/contract/model'

/** One operation as its definition has it: what it takes, what it gives, under which credentials. */
const props = defineProps<{ operation: Operation }>()

const places = [
  ['path', 'Path parameters'],
  ['query', 'Query parameters'],
  ['querystring', 'Query string'],
  ['header', 'Header parameters'],
  ['cookie', 'Cookie parameters'],
] as const
const parametersIn = (place: string) =>
  props.operation.parameters.filter((parameter) => parameter.in === place)
const securityWords = computed(() => {
  const { security } = props.operation
  if (!security.length) return 'none asked'
  return security
    .map(
      (item) =>
        Object.entries(item)
          .map(([name, scopes]) => (scopes.length ? `${name} (${scopes.join(', ')})` : name))
          .join(' and ') || 'nothing',
    )
    .join(', or ')
})
const extras = computed(() => Object.entries(props.operation.extensions ?? {}))
</script>

<template>
  <div>
    <p v-if="operation.summary" class="lead">{{ operation.summary }}</p>
    <p v-if="operation.description" class="text">{{ operation.description }}</p>
    <dl class="facts">
      <dt>Credentials</dt>
      <dd>{{ securityWords }}</dd>
      <template v-for="bound in operation.soap ?? []" :key="bound.binding">
        <dt>SOAP {{ bound.version }}</dt>
        <dd>
          {{ bound.style }}, {{ bound.use
          }}<template v-if="bound.action"
            >, action <code>{{ bound.action }}</code></template
          ><template v-if="bound.headers.length"
            >, headers {{ bound.headers.map(({ name }) => name).join(', ') }}</template
          >
          <code v-for="address in bound.addresses" :key="address" class="block">{{ address }}</code>
        </dd>
      </template>
    </dl>
    <template v-for="[place, title] in places" :key="place">
      <template v-if="parametersIn(place).length">
        <h3>
          {{ title }}
        </h3>
        <template v-for="parameter in parametersIn(place)" :key="parameter.name">
          <SchemaTree
            :schema="parameter.schema ?? parameter.content?.[0]?.schema ?? true"
            :label="parameter.name"
            :required="parameter.required"
          />
          <p v-if="parameter.description" class="said">{{ parameter.description }}</p>
          <p v-for="example in parameter.examples" :key="example.name" class="said">
            e.g. <code>{{ JSON.stringify(example.value) }}</code>
          </p>
        </template>
      </template>
    </template>
    <template v-if="operation.body">
      <h3>
        Request body <small>{{ operation.body.required ? 'required' : 'optional' }}</small>
      </h3>
      <p v-if="operation.body.description" class="said">{{ operation.body.description }}</p>
      <MediaContent :content="operation.body.content" />
    </template>
    <template v-for="response in operation.responses" :key="response.status">
      <h3>Response {{ response.status }}</h3>
      <p v-if="response.description" class="said">{{ response.description }}</p>
      <SchemaTree
        v-for="header in response.headers"
        :key="header.name"
        :schema="header.schema ?? true"
        :label="header.name"
      />
      <MediaContent v-if="response.content.length" :content="response.content" />
      <p v-for="link in response.links" :key="link.name" class="said">
        Leads on to {{ link.operationId ?? link.operationRef }} ({{ link.name }})
      </p>
    </template>
    <template v-for="callback in operation.callbacks" :key="callback.name + callback.expression">
      <h3>Calls back: {{ callback.name }}</h3>
      <p class="said">
        <code>{{ callback.expression }}</code>
      </p>
      <p v-for="inner in callback.operations" :key="inner.method" class="said">
        <span class="method">{{ inner.method.toUpperCase() }}</span>
        {{ inner.summary ?? inner.description }}
      </p>
    </template>
    <template v-if="extras.length">
      <h3>What else it says</h3>
      <pre v-for="[key, value] in extras" :key="key"
        >{{ key }}: {{ JSON.stringify(value, null, 2) }}</pre>
    </template>
  </div>
</template>

<style scoped>
.lead {
  font-weight: 600;
  margin: 8px 0 2px;
}
.text {
  margin: 2px 0 8px;
  white-space: pre-line;
  max-width: 80ch;
}
.said {
  margin: 0 0 4px 31px;
  color: var(--soft);
  font-size: 12px;
  white-space: pre-line;
}
.facts {
  display: grid;
  grid-template-columns: 90px 1fr;
  gap: 4px 12px;
  margin: 6px 0;
}
.facts dt {
  color: var(--soft);
}
.facts dd {
  margin: 0;
}
.block {
  display: block;
}
pre {
  background: var(--paper);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 10px;
  overflow: auto;
  max-height: 240px;
  font: 11.5px/1.5 var(--mono);
}
</style>
