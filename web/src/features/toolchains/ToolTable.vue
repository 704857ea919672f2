<script setup lang="ts">
import { computed, ref } from 'vue'
import { linkTo } from '../../api/address'
import type { Schemas } from '../../api/client'
import MachineText from '../../kit/MachineText.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count } from '../../kit/format'

/** The installations on a host: tool, version, where, and what the plain command gets. */
const props = defineProps<{ host: Schemas['Host'] }>()
const opened = ref('')
const inventory = (form: string): string => linkTo(`/api/v1/toolchains/inventory/?host=${encodeURIComponent(props.host.name)}&form=${form}`)
const key = (one: Schemas['Installation']): string => one.tool + one.path
const tools = computed(() => new Set(props.host.installations.map((one) => one.tool)).size)
</script>

<template>
  <section>
    <h2>
      Toolchains
      <span class="soft">
        <template v-if="host.surveyed_at">{{ count(host.installations.length, 'installation') }} of {{ count(tools, 'tool') }} · surveyed <TimeAgo :at="host.surveyed_at" /></template>
        <template v-if="host.surveyed_at"> · <a :href="inventory('cyclonedx')" download>CycloneDX</a> · <a :href="inventory('csv')" download>CSV</a></template>
        <template v-else>not surveyed yet; the agent surveys when it connects</template>
      </span>
    </h2>
    <table v-if="host.installations.length" class="plain-table">
      <thead>
        <tr><th>Tool</th><th>Version</th><th>Path</th><th></th></tr>
      </thead>
      <tbody>
        <template v-for="one in host.installations" :key="one.tool + one.path">
          <tr :data-tool="one.tool">
            <td><RouterLink :to="{ name: 'tool', params: { name: one.tool } }">{{ one.tool }}</RouterLink></td>
            <td class="machine">{{ one.version }}</td>
            <td><MachineText :text="one.path" /><span v-if="one.plain" class="plain" title="The command without a path starts this one">plain</span></td>
            <td><button type="button" class="bare note" :aria-expanded="opened === key(one)" @click="opened = opened === key(one) ? '' : key(one)">evidence</button></td>
          </tr>
          <tr v-if="opened === key(one)">
            <td colspan="4" class="evidence">
              <p class="machine">{{ one.evidence }}</p>
              <p class="soft"><template v-if="one.exit_code === null">not run</template><template v-else>exit code {{ one.exit_code }}</template> · home <span class="machine">{{ one.home }}</span> · there since <TimeAgo :at="one.seen_since" /></p>
              <p v-if="one.also.length" class="soft">also at <span class="machine">{{ one.also.join(', ') }}</span></p>
              <pre v-if="one.output">{{ one.output }}</pre>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
    <template v-if="host.broken.length">
      <h2 class="trouble">Broken <span>{{ host.broken.length }}</span></h2>
      <table class="plain-table">
        <tbody>
          <tr v-for="one in host.broken" :key="one.path">
            <td>{{ one.tool }}</td>
            <td class="machine">{{ one.why }}<br /><span class="soft">{{ one.path }}</span><pre v-if="one.output && !one.why.includes(one.output)">{{ one.output }}</pre></td>
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

.evidence {
  padding-left: 14px;
  border-left: 3px solid var(--water);
  overflow-wrap: anywhere;
}

pre {
  margin: 4px 0 0;
  white-space: pre-wrap;
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
