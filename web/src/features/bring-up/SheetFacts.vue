<script setup lang="ts">
import type { Schemas } from '../../api/client'
import TimeAgo from '../../kit/TimeAgo.vue'
import { systemName } from '../../kit/format'

/** What was chosen for the machine, and where it calls from. */
defineProps<{ sheet: Schemas['BringUp'] }>()
const SUPERVISORS = { service: 'a service', 'log-in': 'started at log-in', 'by hand': 'by hand: gone after a reboot' }
</script>

<template>
  <section aria-label="What was chosen">
    <h2>Settings</h2>
    <dl>
      <dt>System</dt>
      <dd>{{ systemName(sheet.system) }} on {{ sheet.arch }}</dd>
      <dt>Name</dt>
      <dd>{{ sheet.name || 'from the machine' }}</dd>
      <dt>Labels</dt>
      <dd>{{ sheet.labels.join(', ') || 'none' }}</dd>
      <dt>Slots</dt>
      <dd>{{ sheet.slots || 'from cores and memory' }}</dd>
      <dt>Work folder</dt>
      <dd>{{ sheet.work_folder || 'default' }}</dd>
      <dt>Supervisor</dt>
      <dd>{{ SUPERVISORS[sheet.supervisor ?? 'service'] }}</dd>
      <template v-if="sheet.supervisor !== 'by hand'">
        <dt>Account</dt>
        <dd>{{ sheet.account || 'its own' }}</dd>
      </template>
      <dt>Server</dt>
      <dd class="machine">{{ sheet.server }}</dd>
      <dt>Made</dt>
      <dd>by {{ sheet.made_by }}, <TimeAgo :at="sheet.made_at" /></dd>
      <template v-if="sheet.address">
        <dt>Calls from</dt>
        <dd class="machine">{{ sheet.address }}<template v-if="sheet.hostname">, {{ sheet.hostname }}</template></dd>
      </template>
    </dl>
  </section>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 3px 14px;
  margin: 6px 0 0;
}

dt {
  color: var(--ink-soft);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
