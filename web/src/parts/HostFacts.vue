<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import { exactly, size } from './wording'

const props = defineProps<{ host: Schemas['Host'] }>()

const facts = computed(() => {
  const { facts: known, host } = { facts: props.host.facts, host: props.host }
  return [
    ['System', `${known.os_name}`],
    ['Processor', known.arch],
    ['Cores and memory', `${known.cores} · ${size(known.memory)}`],
    ['Disk of the work folder', `${size(known.disk_free)} free of ${size(known.disk_total)}`],
    ['Its own name', known.hostname],
    ['Account', known.user],
    ['Work folder', known.work_folder],
    ['Kept running by', known.kept_by || 'nobody: started by hand'],
    ['Calls from', host.address],
    ['Joined', `${exactly(host.joined_at)}${host.joined_with ? `, with the pass “${host.joined_with}”` : ''}`],
    ['Admitted', host.decided_at ? `${exactly(host.decided_at)}, by ${host.decided_by}` : 'not yet'],
  ] as const
})
</script>

<template>
  <section>
    <h2>Facts</h2>
    <dl>
      <template v-for="[name, value] in facts" :key="name">
        <dt>{{ name }}</dt>
        <dd>{{ value }}</dd>
      </template>
    </dl>
  </section>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 3px 12px;
  margin: 4px 0 0;
  font-size: 13px;
}

dt {
  color: var(--ink-soft);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
