<script setup lang="ts">
import { useCopying } from './copying'

/** Machine text that a person may have to type: a path, a version. */
defineProps<{ text: string }>()
const { word, copy } = useCopying()
</script>

<template>
  <span class="machine">{{ text }}<button type="button" class="bare" :aria-label="`${word}: ${text}`" @click="copy(text)">{{ word }}</button></span>
</template>

<style scoped>
.machine {
  overflow-wrap: anywhere;
}

button {
  margin-left: 8px;
  color: var(--water);
  font-family: var(--sans);
  font-size: 12px;
  opacity: 0;
}

.machine:hover button,
tr:hover button,
button:focus-visible {
  opacity: 1;
}

@media (hover: none) {
  button {
    opacity: 1;
  }
}
</style>
