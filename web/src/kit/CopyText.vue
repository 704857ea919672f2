<script setup lang="ts">
import { useCopying } from './copying'

/** A line for a terminal, with its copy button. */
defineProps<{ text: string }>()
const { word, copy } = useCopying()
</script>

<template>
  <div class="copy-text">
    <code>{{ text }}</code>
    <button type="button" class="bare" @click="copy(text)">{{ word }}</button>
  </div>
</template>

<style scoped>
.copy-text {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 7px 10px;
  border-radius: 4px;
  background: var(--code);
  color: var(--code-ink);
}

code {
  flex: 1;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}

button {
  color: #f2c12e;
  font-weight: 600;
  white-space: nowrap;
}
</style>
