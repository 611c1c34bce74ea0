<script setup lang="ts">
import { emptyValue } from '~~/core/runtime/fields'
import { isOff, kindOf, policyKinds, readSaid, type PolicyName } from '~~/core/runtime/policies'
import { scopeText, type Resolved } from '~~/core/runtime/resolve'

/** One policy in the margin: what it does, where what holds comes from, and the form of what is said here. */
const said = defineModel<object | undefined>({ required: true })
const binding = defineModel<boolean>('binding', { default: false })
const props = defineProps<{
  policy: PolicyName
  /** What holds now, from whichever scope. */
  now: Resolved | undefined
  /** `this placement`, `GET /levels`, `stage Live`. */
  here: string
  /** Whether somebody may write here. */
  editable: boolean
  /** Whether it can be made binding for what is further in. */
  bindable?: boolean
}>()

const kind = computed(() => policyKinds[props.policy])
const shape = computed(() => kindOf(props.policy).config.shape)
const reason = computed({
  get: () => (said.value && isOff(said.value) ? said.value.off : ''),
  set: (written) => (said.value = { off: written }),
})
const isSaidOff = computed(() => said.value !== undefined && isOff(said.value))
const faults = computed(() => {
  const read = said.value && readSaid(props.policy, said.value)
  return new Map((read?.misfits ?? []).map(({ field, message }) => [field, message]))
})
/** Begins with what holds already, or else with the defaults. */
const begin = () => {
  const config: unknown = props.now?.config ?? emptyValue(shape.value)
  said.value = asValues(structuredClone(toRaw(config)))
}
</script>

<template>
  <div class="policy">
    <h2>{{ kind.title }}</h2>
    <template v-if="now">
      <h3>
        From {{ said === undefined ? scopeText(now.from) : here }}
        <small v-if="now.boundBy">binding</small>
      </h3>
      <p v-for="one in now.overruled" :key="one.why" class="warn small">
        What {{ scopeText(one.at) }} says does not hold: {{ one.why }}, and
        {{ scopeText(one.by) }} is binding.
      </p>
      <p v-if="now.boundBy && said === undefined" class="soft small">
        It may be tightened here, not loosened.
      </p>
      <p v-if="now.also.length" class="soft small">
        Together with what {{ now.also.map(scopeText).join(' and ') }} says.
      </p>
    </template>
    <h3 v-else>Said here</h3>
    <fieldset class="bare" :disabled="!editable">
      <template v-if="said === undefined">
        <p class="soft small">
          {{ now ? `Nothing is said for ${here}.` : 'There is none yet.' }}
        </p>
        <div v-if="editable" class="bar">
          <button type="button" class="ghost" @click="begin()">
            {{ now ? `Say something else for ${here}` : 'Write it' }}
          </button>
          <button
            v-if="now && !now.boundBy"
            type="button"
            class="ghost"
            @click="said = { off: '' }"
          >
            Switch it off
          </button>
        </div>
      </template>
      <template v-else-if="isSaidOff">
        <label class="field"
          ><span>Why it is off</span
          ><InputText v-model="reason" placeholder="A reason, for the record"
        /></label>
        <small v-if="faults.get('off')" class="bad">{{ faults.get('off') }}</small>
      </template>
      <WayShapeField v-else v-model="said" :shape="shape" at="" :faults="faults" />
      <label v-if="said !== undefined && !isSaidOff && bindable" class="binding"
        ><ToggleSwitch v-model="binding" /> Binding: only to be tightened further in</label
      >
      <button
        v-if="said !== undefined && editable"
        type="button"
        class="plain"
        @click="said = undefined"
      >
        {{ `Say nothing for ${here}` }}
      </button>
    </fieldset>
    <details class="soft small">
      <summary>What it does</summary>
      {{ kind.says }}
    </details>
  </div>
</template>

<style scoped>
details {
  margin: 6px 0 4px;
}
.bare {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
}
.binding {
  display: flex;
  gap: 8px;
  align-items: center;
  font-weight: 600;
  font-size: 12.5px;
  padding: 2px 0 12px;
}
.warn {
  color: var(--copper);
}
.bad {
  color: var(--copper);
}
</style>
