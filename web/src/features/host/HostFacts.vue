<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import { count, exactly, size } from '../../kit/format'

const props = defineProps<{ host: Schemas['Host'] }>()

const facts = computed(() => {
  const { facts: known, details: told } = props.host
  const host = props.host
  const listed = [
    ['System', `${known.os_name}`],
    ['Build', told.build],
    ['Processor', [known.arch, told.processor].filter(Boolean).join(', ')],
    ['It can', (told.features ?? []).join(', ')],
    ['Cores and memory', `${known.cores} · ${size(known.memory)}`],
    ['Disk of the work folder', `${size(known.disk_free)} free of ${size(known.disk_total)}`],
    ['Its own name', known.hostname],
    ['Account', known.user],
    ['Its groups', (told.groups ?? []).join(', ')],
    ['Display', told.display],
    ['Restart pending', told.restart_pending],
    ['Packages changed', told.packages_updated ? exactly(new Date(told.packages_updated * 1000).toISOString()) : ''],
    ['Work folder', known.work_folder],
    ['Kept running by', known.kept_by || 'nobody: started by hand'],
    ['Calls from', host.address],
    ['Joined', `${exactly(host.joined_at)}${host.joined_with ? `, with the pass “${host.joined_with}”` : ''}`],
    ['Admitted', host.decided_at ? `${exactly(host.decided_at)}, by ${host.decided_by}` : 'not yet'],
  ] as const
  return listed.filter(([, value]) => value)
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
    <details v-if="host.details.variables?.length">
      <summary>{{ count(host.details.variables.length, 'environment variable') }}</summary>
      <p v-for="name in host.details.variables" :key="name" class="machine">{{ name }}<span v-if="host.details.values?.[name]" class="soft">={{ host.details.values[name] }}</span></p>
      <p class="soft">Values are told of a few that are no secret.</p>
    </details>
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

details {
  margin-top: 8px;
  font-size: 13px;
  overflow-wrap: anywhere;
}

dt {
  color: var(--ink-soft);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
