<script setup lang="ts">
import { audiences, lifecycles, type Sample } from '~~/core/rules/model'
import { useSession } from '~/stores/session'

/** One sample of a rule: the piece, what the register would know of it, and pieces that other APIs have. */
const { sample, label } = defineProps<{ sample: Sample; label: string }>()
const emit = defineEmits<{ change: [sample: Sample]; remove: [] }>()
const session = useSession()

const facts = computed(() => sample.facts ?? {})
const elsewhere = computed(() => sample.elsewhere ?? [])
const opened = ref(false)
const isOpen = computed(
  () =>
    opened.value ||
    Object.keys(facts.value).length > 0 ||
    elsewhere.value.length > 0 ||
    sample.before !== undefined,
)

const choices = [
  { name: 'audience', label: 'Audience', options: () => audiences },
  { name: 'lifecycle', label: 'Lifecycle', options: () => lifecycles },
  { name: 'team', label: 'Team', options: () => session.shell?.teams ?? [] },
] as const

/** What the register would know, less what nothing is said of. */
function put(name: keyof NonNullable<Sample['facts']>, value: string) {
  const next = Object.fromEntries(
    Object.entries({ ...facts.value, [name]: value }).filter(([, given]) => given !== ''),
  )
  opened.value = true
  emit('change', { ...sample, facts: next })
}

/** The piece as it was before; empty where nothing is said of it. */
function begin(text: string) {
  const { before: _, ...rest } = sample
  opened.value = true
  emit('change', text.trim() === '' ? rest : { ...rest, before: text })
}

function beside(index: number, text: string) {
  const next = elsewhere.value.with(index, text).filter((piece) => piece.trim() !== '')
  emit('change', { ...sample, elsewhere: next })
}
</script>

<template>
  <div class="sample">
    <textarea
      class="p-textarea mono"
      :rows="rowsFor(sample.text)"
      spellcheck="false"
      :value="sample.text"
      :aria-label="label"
      @change="emit('change', { ...sample, text: textOf($event) })"
    />
    <p v-if="!isOpen" class="ways">
      <button type="button" class="plain" @click="opened = true">Facts of the register</button>
      <button type="button" class="plain" @click="emit('remove')">Remove this sample</button>
    </p>
    <template v-else>
      <div class="facts">
        <label v-for="choice in choices" :key="choice.name" class="field"
          ><span>{{ choice.label }}</span>
          <select
            class="p-inputtext"
            :value="facts[choice.name] ?? ''"
            @change="put(choice.name, textOf($event))"
          >
            <option value="">any</option>
            <option v-for="option in choice.options()" :key="option">{{ option }}</option>
          </select>
        </label>
        <label class="field"
          ><span>API</span>
          <input
            class="p-inputtext"
            :value="facts.api ?? ''"
            placeholder="any"
            @change="put('api', textOf($event))"
          />
        </label>
      </div>
      <label class="field"
        ><span>The version before</span>
        <textarea
          class="p-textarea mono"
          :rows="rowsFor(sample.before ?? '')"
          spellcheck="false"
          placeholder="for rules about what changed"
          :value="sample.before ?? ''"
          @change="begin(textOf($event))"
        />
      </label>
      <label v-for="(piece, index) in elsewhere" :key="index" class="field"
        ><span>Another API has</span>
        <textarea
          class="p-textarea mono"
          :rows="rowsFor(piece)"
          spellcheck="false"
          :value="piece"
          @change="beside(index, textOf($event))"
        />
      </label>
      <p class="ways">
        <button
          v-if="elsewhere.length < 10"
          type="button"
          class="plain"
          @click="emit('change', { ...sample, elsewhere: [...elsewhere, begunSample] })"
        >
          Put another API beside it
        </button>
        <button type="button" class="plain" @click="emit('remove')">Remove this sample</button>
      </p>
    </template>
  </div>
</template>

<style scoped>
.sample {
  margin-bottom: 10px;
}
.p-textarea,
.p-inputtext {
  width: 100%;
}
.facts {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr 1fr;
  gap: 10px;
  margin-top: 6px;
}
.ways {
  display: flex;
  gap: 14px;
  margin: 2px 0 0;
  font-size: 12.5px;
}
</style>
