<script setup lang="ts">
import type { Schemas } from '../../api/client'
import MachineText from '../../kit/MachineText.vue'

/** Where an attempt ran, as whom and with which tools. The slots add rows: of the place, the outcome and the rest. */
defineProps<{ attempt: Schemas['Attempt'] }>()
</script>

<template>
  <dl class="evidence">
    <dt>Host</dt>
    <dd><RouterLink :to="{ name: 'host', params: { name: attempt.host } }">{{ attempt.host }}</RouterLink><slot name="host" /></dd>
    <slot name="outcome" />
    <template v-if="attempt.why">
      <dt>Why this host</dt>
      <dd data-why>{{ attempt.why.replaceAll('`', '') }}</dd>
    </template>
    <template v-if="attempt.account">
      <dt>Account</dt>
      <dd class="machine">{{ attempt.account }}</dd>
      <dt>Folder</dt>
      <dd><MachineText :text="attempt.folder" /><slot name="folder" /></dd>
    </template>
    <template v-if="attempt.tools.length">
      <dt>Tools</dt>
      <dd><span v-for="tool in attempt.tools" :key="tool.tool + tool.path" class="machine line">{{ tool.tool }} {{ tool.version }} at <MachineText :text="tool.path" /></span></dd>
    </template>
    <slot />
  </dl>
</template>

<style scoped>
.evidence {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 3px 14px;
  margin: 4px 0 12px;
}

.evidence :deep(dt) {
  color: var(--ink-soft);
}

.evidence :deep(dd) {
  margin: 0;
  overflow-wrap: anywhere;
}

.evidence :deep(.line) {
  display: block;
}
</style>
