<script setup lang="ts">
import type { Finding, Fix, Rule } from '~~/core/rules/model'
import type { FixReply } from '~/workers/check'

/** Shows what a fix would change before anything is changed: at one place, or wherever the rule is broken. */
const props = defineProps<{
  finding: Finding
  rule: Rule
  /** How many places of the definition break the same rule. */
  alike: number
  plan: (fix: Fix, keys: string[] | undefined) => Promise<FixReply>
  before: (file: string) => string
}>()
const emit = defineEmits<{ close: []; write: [texts: FixReply['texts'], places: number] }>()
const fixes = computed(() => props.rule.fixes ?? [])
const chosen = ref(0)
const everywhere = ref(false)
const reply = shallowRef<FixReply>()
const changes = computed(() =>
  (reply.value?.texts ?? []).map(({ file, text }) => ({
    file,
    before: props.before(file),
    after: text,
  })),
)

async function work() {
  reply.value = await props.plan(
    fixes.value[chosen.value]!,
    everywhere.value ? undefined : [props.finding.key],
  )
}
watch([chosen, everywhere], work)
</script>

<template>
  <Dialog
    visible
    modal
    :header="rule.title"
    :style="{ width: '1000px', maxWidth: '94vw' }"
    @show="work()"
    @update:visible="emit('close')"
  >
    <p class="what">{{ finding.message }}</p>
    <div class="bar">
      <select v-if="fixes.length > 1" v-model="chosen" aria-label="What to do">
        <option v-for="(fix, index) in fixes" :key="index" :value="index">{{ fix.title }}</option>
      </select>
      <b v-else>{{ fixes[0]?.title }}</b>
      <label><input v-model="everywhere" type="radio" :value="false" /> here</label>
      <label v-if="alike > 1"
        ><input v-model="everywhere" type="radio" :value="true" /> at all {{ alike }} places of this
        definition</label
      >
    </div>
    <p v-for="fault in reply?.faults ?? []" :key="fault" class="trouble">{{ fault }}</p>
    <TextChanges :texts="changes" />
    <p v-if="!reply" class="soft">Working it out …</p>
    <template #footer>
      <button class="ghost" @click="emit('close')">Cancel</button>
      <button
        class="fill"
        :disabled="!reply?.texts.length"
        autofocus
        @click="emit('write', reply!.texts, reply!.places)"
      >
        Write it into the text
      </button>
    </template>
  </Dialog>
</template>

<style scoped>
.what {
  margin: 0 0 10px;
  overflow-wrap: anywhere;
}
</style>
