<script setup lang="ts">
import { policyKinds, policyNames, type PolicyName } from '~~/core/runtime/policies'
import { stepNames, steps } from '~~/core/runtime/steps'

/** Chooses a kind of policy that is not there yet, by the step it belongs to. */
const props = defineProps<{ taken: readonly string[] }>()
const emit = defineEmits<{ add: [PolicyName] }>()
const left = computed(() => policyNames.filter((name) => !props.taken.includes(name)))
const chosen = ref('')
function add() {
  if (chosen.value) emit('add', chosen.value as PolicyName)
  chosen.value = ''
}
</script>

<template>
  <label v-if="left.length" class="add"
    >Nothing else happens to a request.
    <select v-model="chosen" aria-label="Add a policy" @change="add()">
      <option value="">Add a policy</option>
      <optgroup
        v-for="step in stepNames.filter((name) =>
          left.some((kind) => policyKinds[kind].step === name),
        )"
        :key="step"
        :label="steps[step].title"
      >
        <option
          v-for="name in left.filter((kind) => policyKinds[kind].step === step)"
          :key="name"
          :value="name"
        >
          {{ policyKinds[name].title }}
        </option>
      </optgroup>
    </select></label
  >
</template>

<style scoped>
.add select {
  border: 0;
  background: none;
  color: var(--elm);
  font: 600 13px var(--body);
  cursor: pointer;
  field-sizing: content;
}
</style>
