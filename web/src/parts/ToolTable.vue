<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import MachineText from './MachineText.vue'
import TimeAgo from './TimeAgo.vue'
import { count } from './wording'

/** The installations on a host: tool, version, where, and what the plain command gets. */
const props = defineProps<{ host: Schemas['Host'] }>()
const tools = computed(() => new Set(props.host.installations.map((one) => one.tool)).size)
</script>

<template>
  <section>
    <h2>
      Toolchains
      <span class="soft">
        <template v-if="host.surveyed_at">{{ count(host.installations.length, 'installation') }} of {{ count(tools, 'tool') }} · surveyed <TimeAgo :at="host.surveyed_at" /></template>
        <template v-else>not surveyed yet: the agent does so as soon as it connects</template>
      </span>
    </h2>
    <table v-if="host.installations.length" class="plain-table">
      <thead>
        <tr><th>Tool</th><th>Version</th><th>Where</th><th>Home</th></tr>
      </thead>
      <tbody>
        <tr v-for="one in host.installations" :key="one.tool + one.path" :data-tool="one.tool">
          <td>{{ one.tool }}</td>
          <td class="machine">{{ one.version }}</td>
          <td :title="one.evidence"><MachineText :text="one.path" /><span v-if="one.plain" class="plain" title="A shell that is told only the command's name starts this one">plain</span></td>
          <td class="machine soft">{{ one.home }}</td>
        </tr>
      </tbody>
    </table>
    <template v-if="host.broken.length">
      <h2 class="trouble">Found but broken <span>{{ host.broken.length }}</span></h2>
      <table class="plain-table">
        <tbody>
          <tr v-for="one in host.broken" :key="one.path">
            <td>{{ one.tool }}</td>
            <td class="machine">{{ one.why }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
h2 {
  margin: 0 0 4px;
}

h2 .soft {
  margin-left: 8px;
  font-size: 13px;
  font-weight: 400;
}

table + h2 {
  margin-top: 20px;
}

.machine {
  overflow-wrap: anywhere;
}

.plain {
  margin-left: 8px;
  padding: 0 5px;
  border: 1px solid var(--fence);
  border-radius: 3px;
  color: var(--ink-soft);
  font-family: var(--sans);
  font-size: 12px;
}
</style>
