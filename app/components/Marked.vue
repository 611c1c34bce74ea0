<script setup lang="ts">
/** A text in which the words that were looked for stand out. */
const props = defineProps<{ text: string; words: string[] }>()

interface Piece {
  text: string
  hit: boolean
}
const pieces = computed(() => {
  const { text } = props
  const found: Piece[] = []
  const lower = text.toLowerCase()
  let at = 0
  while (at < text.length) {
    const next = props.words
      .map((word) => ({ word, i: lower.indexOf(word, at) }))
      .filter(({ i }) => i !== -1)
      .sort((a, b) => a.i - b.i)[0]
    if (!next) break
    if (next.i > at) found.push({ text: text.slice(at, next.i), hit: false })
    found.push({ text: text.slice(next.i, next.i + next.word.length), hit: true })
    at = next.i + next.word.length
  }
  if (at < text.length) found.push({ text: text.slice(at), hit: false })
  return found
})
</script>

<template>
  <template v-for="(piece, i) in pieces" :key="i"
    ><mark v-if="piece.hit">{{ piece.text }}</mark
    ><template v-else>{{ piece.text }}</template></template
  >
</template>

<style scoped>
mark {
  background: var(--ochre-wash);
  color: inherit;
  border-radius: 2px;
}
</style>
