<script setup lang="ts">
import type { Schemas } from '../../api/client'
import TimeAgo from '../../kit/TimeAgo.vue'

defineProps<{ lines: Schemas['Entry'][] }>()

/** Whether people did it to their own account: logged in, changed their password. */
function isOwn(line: Schemas['Entry']): boolean {
  return line.noun === 'person' && line.thing === line.who
}

/** The details of a line in words: "reason: new disk; came: git 2.39.5". */
function details(line: Schemas['Entry']): string {
  return Object.entries(line.details)
    .filter(([, value]) => value !== '' && !(Array.isArray(value) && !value.length))
    .map(([name, value]) => `${name}: ${shown(value)}`)
    .join('; ')
}

function shown(value: unknown): string {
  if (Array.isArray(value)) return value.map(shown).join(', ')
  if (value !== null && typeof value === 'object') {
    const { from, to } = value as { from?: unknown; to?: unknown }
    if (from !== undefined) return `${shown(from) || 'none'} → ${shown(to) || 'none'}`
    return JSON.stringify(value)
  }
  return String(value)
}
</script>

<template>
  <p v-if="!lines.length" class="soft">No entries yet.</p>
  <table v-else class="plain-table">
    <tbody>
      <tr v-for="line in lines" :key="line.id">
        <td class="when"><TimeAgo :at="line.at" /></td>
        <td>
          {{ line.who }} <strong>{{ line.verb }}</strong> {{ isOwn(line) ? '' : line.noun }}
          <RouterLink v-if="line.noun === 'host'" :to="{ name: 'host', params: { name: line.thing } }">{{ line.thing }}</RouterLink>
          <RouterLink v-else-if="line.noun === 'job'" :to="{ name: 'board', params: { id: line.thing } }">{{ line.thing }}</RouterLink>
          <template v-else-if="!isOwn(line)">{{ line.thing }}</template>
          <span v-if="line.paddock && line.noun !== 'paddock'" class="soft"> in {{ line.paddock }}</span>
          <details v-if="details(line).length > 120"><summary>details</summary>{{ details(line) }}</details>
          <span v-else-if="details(line)" class="soft"> · {{ details(line) }}</span>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.when {
  width: 110px;
  color: var(--ink-soft);
  white-space: nowrap;
}

td {
  overflow-wrap: anywhere;
}

summary {
  color: var(--ink-soft);
  cursor: pointer;
}
</style>
