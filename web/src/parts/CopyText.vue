<script setup lang="ts">
import { ref } from 'vue'

const props = defineProps<{ text: string; secret?: boolean }>()
const said = ref('Copy')

async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(props.text)
    said.value = 'Copied'
  } catch {
    said.value = 'Select it and copy by hand'
  }
  setTimeout(() => (said.value = 'Copy'), 2000)
}
</script>

<template>
  <div class="copy-text">
    <code>{{ text }}</code>
    <button type="button" class="bare" @click="copy">{{ said }}</button>
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
