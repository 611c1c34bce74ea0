<script setup lang="ts">
import type { PolicyPreview } from '~~/shared/api/policies'

/** What a change of a scope does to each placement: what will hold instead of what. */
defineProps<{ preview: PolicyPreview }>()
const most = ref(50)
</script>

<template>
  <div>
    <p v-if="!preview.placements.length && !preview.unseen" class="soft">
      Nothing changes for anything that is placed.
    </p>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>Placement</th>
          <th>Policy</th>
          <th>Holds now</th>
          <th>Will hold</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="one in preview.placements.slice(0, most)" :key="one.placement">
          <tr
            v-for="(change, index) in one.changes"
            :key="change.policy + change.operations.join()"
          >
            <td>
              <template v-if="index === 0"
                ><NuxtLink class="plain" :to="`/placements/${one.placement}`"
                  >{{ one.title }} {{ one.version }}</NuxtLink
                ><span class="soft small stage">{{ one.stage }}</span></template
              >
            </td>
            <td>
              {{ change.title }}
              <div v-if="change.operations.length" class="soft small">
                {{ change.operations.slice(0, 3).join(', ')
                }}{{
                  change.operations.length > 3 ? ` and ${change.operations.length - 3} more` : ''
                }}
              </div>
            </td>
            <td class="small">{{ change.before }}</td>
            <td class="small">{{ change.after }}</td>
          </tr>
          <tr v-for="text in [...one.faults, ...one.overruled]" :key="one.placement + text">
            <td>
              <NuxtLink
                v-if="!one.changes.length"
                class="plain"
                :to="`/placements/${one.placement}`"
                >{{ one.title }} {{ one.version }}</NuxtLink
              >
            </td>
            <td colspan="3" class="small bad">{{ text }}</td>
          </tr>
        </template>
      </tbody>
    </table>
    <button v-if="preview.placements.length > most" class="plain" @click="most += 200">
      {{ preview.placements.length - most }} more
    </button>
    <p v-if="preview.unseen" class="soft small">
      {{ count(preview.unseen, 'more placement changes', 'more placements change') }} that you may
      not see.
    </p>
  </div>
</template>

<style scoped>
.stage {
  margin-left: 6px;
}
.bad {
  color: var(--copper);
}
</style>
