<script setup lang="ts">
import type { ComparisonChange } from '~~/shared/api/comparisons'
import type { ChangeRow } from '~/utils/change-rows'

/** Changes under the operations they are in; other words, examples and order are one row until somebody wants them. */
const { rows, selected } = defineProps<{
  rows: readonly ChangeRow[]
  selected: number
  /** The one operation that is shown; empty for all. */
  operation: string
}>()
const emit = defineEmits<{
  choose: [index: number]
  unfold: [operation: string]
  operation: [name: string]
}>()

const who = ({ effect, clients, anybody }: ComparisonChange) =>
  effect === 'safe' || (clients === 0 && !anybody)
    ? ''
    : [clients > 0 ? count(clients, 'client') : '', anybody ? 'anybody' : '']
        .filter(Boolean)
        .join(' and ')
const way = ({ direction, kind }: ComparisonChange) =>
  direction !== 'none' ? direction : kind === 'changed' ? 'words' : ''
const beginsGroup = (index: number) => rows[index]!.operation !== rows[index - 1]?.operation
const table = ref<HTMLElement>()
watch(
  () => selected,
  (index) =>
    table.value?.querySelector(`[data-row="${index}"]`)?.scrollIntoView({ block: 'nearest' }),
)
</script>

<template>
  <table ref="table" class="changes" aria-label="Changes">
    <colgroup>
      <col class="effects" />
      <col />
      <col class="directions" />
      <col class="who" />
    </colgroup>
    <tbody>
      <template v-for="(row, index) in rows" :key="index">
        <tr v-if="beginsGroup(index)" class="group">
          <th colspan="4" scope="rowgroup">
            <button
              v-if="row.operation"
              class="operation"
              :aria-pressed="row.operation === operation"
              title="Only this operation"
              @click="emit('operation', row.operation)"
            >
              <code>{{ row.operation }}</code>
            </button>
            <template v-else>In no single operation</template>
          </th>
        </tr>
        <tr
          v-if="'change' in row"
          :class="{ on: index === selected }"
          :data-row="index"
          @click="emit('choose', index)"
        >
          <td>
            <span class="effect" :class="row.change.effect">{{ row.change.effect }}</span>
          </td>
          <td>
            <button class="message" @click.stop="emit('choose', index)">
              {{
                row.operation ? row.change.message : `${row.change.subject}: ${row.change.message}`
              }}
            </button>
          </td>
          <td class="soft small">
            {{ way(row.change) }}
          </td>
          <td class="right small" :class="row.change.effect">{{ who(row.change) }}</td>
        </tr>
        <tr v-else :class="{ on: index === selected }" :data-row="index">
          <td><span class="effect safe">safe</span></td>
          <td colspan="3">
            <button class="plain" @click="emit('unfold', row.operation)">
              {{ row.folded }} descriptions, examples and other words
            </button>
          </td>
        </tr>
      </template>
    </tbody>
  </table>
</template>

<style scoped>
.changes {
  width: 100%;
  border-collapse: collapse;
  table-layout: fixed;
}
.changes td,
.changes th {
  padding: 6px 8px;
  text-align: left;
  vertical-align: baseline;
  border-bottom: 1px dotted var(--rule);
}
.effects {
  width: 86px;
}
.directions {
  width: 84px;
}
.who {
  width: 128px;
}
.changes .group th {
  border-bottom: 1px solid var(--rule);
  padding-top: 16px;
  font-weight: 650;
  overflow-wrap: anywhere;
}
.changes .right {
  text-align: right;
}
tr.on td {
  background: var(--faint);
}
tr[data-row] {
  cursor: pointer;
}
.message,
.operation {
  border: 0;
  background: none;
  padding: 0;
  font: inherit;
  color: inherit;
  text-align: left;
  cursor: pointer;
  overflow-wrap: anywhere;
}
.operation[aria-pressed='true'] {
  background: var(--faint);
}
td.breaking {
  color: var(--copper);
  font-weight: 650;
}
</style>
