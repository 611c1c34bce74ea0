<script setup lang="ts">
import { reference } from '~~/core/rules/reference'

const { filters, typed } = useFilters(['words'] as const)
const words = typed('words')
const all = reference()
const finds = (text: string) => text.toLowerCase().includes(filters.value.words.toLowerCase())
const sections = computed(() =>
  [...all.subjects, ...all.others]
    .map((section) => ({
      ...section,
      entries: finds(section.name)
        ? section.entries
        : section.entries.filter(({ name, says }) => finds(`${name} ${says}`)),
    }))
    .filter(({ entries }) => entries.length > 0),
)
const functions = computed(() => all.functions.filter(({ name, says }) => finds(`${name} ${says}`)))
</script>

<template>
  <Leaf>
    <h1>What a condition can ask</h1>
    <p class="sentence">
      Conditions are written in CEL, the Common Expression Language. Every rule is about one kind of
      thing and sees it by its name, with what stands around it, the whole definition, what the
      register knows (catalog) and the organisation.
    </p>
    <div class="bar">
      <input
        v-model="words"
        class="p-inputtext"
        type="search"
        placeholder="Filter"
        aria-label="Filter"
      />
    </div>
    <template v-if="functions.length">
      <h2>Functions</h2>
      <table class="ruled">
        <tbody>
          <tr v-for="entry in functions" :key="entry.name">
            <td>
              <code>{{ entry.name }}</code>
            </td>
            <td class="soft nowrap">{{ entry.type }}</td>
            <td>
              {{ entry.says }}
              <div class="soft">
                <code>{{ entry.example }}</code>
              </div>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
    <template v-for="section in sections" :key="section.name">
      <h2>{{ section.name }}</h2>
      <p class="soft">
        {{ section.says }}
        <template v-if="section.beside">It sees {{ section.beside.join(', ') }}, too.</template>
      </p>
      <table class="ruled">
        <tbody>
          <tr v-for="entry in section.entries" :key="entry.name">
            <td>
              <code>{{ section.name }}.{{ entry.name }}</code>
            </td>
            <td class="soft nowrap">{{ entry.type }}</td>
            <td>{{ entry.says }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </Leaf>
</template>

<style scoped>
h2 {
  margin: 22px 0 4px;
}
p {
  margin: 0 0 6px;
}
td:first-child {
  width: 34%;
  overflow-wrap: anywhere;
}
</style>
