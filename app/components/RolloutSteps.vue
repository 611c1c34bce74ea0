<script setup lang="ts">
import type { RolloutItem } from '~~/shared/api/rollouts'

/** How far each gateway has come in a rollout. */
defineProps<{ rollout: RolloutItem }>()
</script>

<template>
  <div>
    <div v-for="step in rollout.steps" :key="step.gateway" class="gate">
      <i :class="stepSign(step.state).look" aria-hidden="true">{{ stepSign(step.state).sign }}</i>
      <span
        ><b>{{ step.gateway }}</b> {{ stepWord(step.state)
        }}{{ step.share ? ` for ${step.share} % of callers` : '' }}, {{ moment(step.at)
        }}<small v-if="step.detail">{{ step.detail }}</small></span
      >
    </div>
  </div>
</template>
