<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import { count } from '../../kit/format'
import { exactly } from '../../kit/moments'
import { diskSize, memorySize } from '../../kit/units'

const props = defineProps<{ host: Schemas['Host'] }>()

const facts = computed(() => {
  const { facts: known, details } = props.host
  const host = props.host
  const listed = [
    ['System', `${known.os_name}`],
    ['Build', details.build],
    ['Processor', [known.arch, details.processor].filter(Boolean).join(', ')],
    ['Features', (details.features ?? []).join(', ')],
    ['Cores and memory', `${known.cores} · ${memorySize(known.memory)}`],
    ['Disk of the work folder', `${diskSize(known.disk_free)} free of ${diskSize(known.disk_total)}`],
    ['Host name', known.hostname],
    ['Account', known.user],
    ['Groups', (details.groups ?? []).join(', ')],
    ['Display', details.display],
    ['Restart pending', details.restart_pending],
    ['Packages changed', details.packages_updated ? exactly(details.packages_updated * 1000) : ''],
    ['Work folder', known.work_folder],
    ['Service', known.kept_by || 'none: started by hand'],
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
      <p class="soft">Only a few values that are not secret are recorded.</p>
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
