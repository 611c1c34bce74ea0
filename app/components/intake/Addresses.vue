<script setup lang="ts">
/** Addresses that the server is to fetch definitions from, one in each line. */
const { busy, named = '' } = defineProps<{ busy: boolean; named?: string }>()
const emit = defineEmits<{ fetch: [urls: string[], agreed: boolean] }>()

const text = ref(named)
const agreed = ref(false)
const urls = computed(() => text.value.split(/\s+/).filter((line) => line !== ''))
</script>

<template>
  <form @submit.prevent="emit('fetch', urls, agreed)">
    <label class="field"
      ><span>From addresses</span
      ><Textarea
        v-model="text"
        class="mono"
        rows="3"
        spellcheck="false"
        placeholder="https://"
        aria-label="From addresses"
      /><small
        >One in each line. The server fetches them with what they refer to on the same host: http or
        https, public addresses only.</small
      ></label
    >
    <label class="agree"
      ><input v-model="agreed" type="checkbox" /> and what they refer to on other hosts</label
    >
    <button class="ghost" :disabled="busy || !urls.length">
      {{ urls.length > 1 ? `Fetch ${urls.length}` : 'Fetch it' }}
    </button>
  </form>
</template>

<style scoped>
.agree {
  display: block;
  margin: 0 0 8px;
}
</style>
