<script setup lang="ts">
import { gatewayKinds, type GatewayKindName } from '~~/core/runtime/gateway-kinds'
import { policyKinds, policyNames } from '~~/core/runtime/policies'
import { steps, stepNames } from '~~/core/runtime/steps'

/** What a kind of gateway enforces, step by step, and what it does beside policies. */
const { kind, https } = defineProps<{ kind: GatewayKindName; https: boolean }>()
const about = computed(() => gatewayKinds[kind])
const rows = computed(() =>
  stepNames.flatMap((step) => {
    const names = policyNames.filter((name) => policyKinds[name].step === step)
    const can = names.filter((name) => about.value.enforces.includes(name))
    const cannot = names.filter((name) => !about.value.enforces.includes(name))
    const titles = (of: typeof names) => of.map((name) => policyKinds[name].title)
    return names.length > 0
      ? [{ title: steps[step].title, can: titles(can), cannot: titles(cannot) }]
      : []
  }),
)
const beside = computed(() => [
  ['TLS', https],
  ['mocks from the definition', about.value.mocks],
  ['SOAP, told apart by its messages', about.value.soap],
  ['Deprecation and Sunset by themselves', about.value.lifecycle],
  // Where it cannot, all callers get a version at once: nothing is refused.
  ...(about.value.portions ? [['a new version for a share of callers', true]] : []),
])
</script>

<template>
  <section>
    <p class="soft">{{ about.says }}</p>
    <p v-if="!about.isWritten" class="soft">Nothing is placed on it.</p>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>Step</th>
          <th>Enforced</th>
          <th>Refused when somebody asks for it</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.title">
          <td>{{ row.title }}</td>
          <td class="small">{{ row.can.join(', ') || '–' }}</td>
          <td class="small soft">{{ row.cannot.join(', ') || '–' }}</td>
        </tr>
        <tr>
          <td>Beside policies</td>
          <td class="small">
            {{
              beside
                .filter(([, can]) => can)
                .map(([what]) => what)
                .join(', ') || '–'
            }}
          </td>
          <td class="small soft">
            {{
              beside
                .filter(([, can]) => !can)
                .map(([what]) => what)
                .join(', ') || '–'
            }}
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
