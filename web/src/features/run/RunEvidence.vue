<script setup lang="ts">
import type { Schemas } from '../../api/client'
import type { AttemptSheet } from './run'
import MachineText from '../../kit/MachineText.vue'
import { count, duration } from '../../kit/format'
import { exactly } from '../../kit/moments'
import { memorySize } from '../../kit/units'

/** Did it really run there, as whom, in which folder, with what? */
defineProps<{ attempt: AttemptSheet; job: Schemas['JobSheet'] }>()
</script>

<template>
  <dl class="evidence">
    <dt>Host</dt>
    <dd><RouterLink :to="{ name: 'host', params: { name: attempt.host } }">{{ attempt.host }}</RouterLink> in {{ attempt.paddock }}<span v-if="attempt.facts.os_name" class="soft"> · {{ attempt.facts.os_name }}, {{ attempt.facts.arch }}</span></dd>
    <template v-if="attempt.why">
      <dt>Why this host</dt>
      <dd>{{ attempt.why.replaceAll('`', '') }}</dd>
    </template>
    <template v-if="attempt.account">
      <dt>Account</dt>
      <dd class="machine">{{ attempt.account }}</dd>
      <dt>Folder</dt>
      <dd><MachineText :text="attempt.folder" /> <span class="soft">{{ attempt.warm ? 'warm: reused' : 'empty at the start' }}</span></dd>
    </template>
    <template v-if="attempt.commit">
      <dt>Commit</dt>
      <dd><MachineText :text="attempt.commit" /></dd>
    </template>
    <template v-if="attempt.tools.length">
      <dt>Tools</dt>
      <dd><span v-for="tool in attempt.tools" :key="tool.tool + tool.path" class="machine tool">{{ tool.tool }} {{ tool.version }} at <MachineText :text="tool.path" /></span></dd>
    </template>
    <template v-if="attempt.processor !== null || attempt.memory !== null">
      <dt>Used</dt>
      <dd><template v-if="attempt.processor !== null">{{ duration(attempt.processor) }} of processor</template><template v-if="attempt.memory !== null">, {{ memorySize(attempt.memory) }} peak memory</template></dd>
    </template>
    <template v-if="attempt.leftover_processes.length">
      <dt>Left running</dt>
      <dd class="trouble"><span v-for="one in attempt.leftover_processes" :key="one.pid" class="machine tool">{{ one.name }} ({{ one.pid }}){{ one.ended ? ', ended by the agent' : '' }}</span></dd>
    </template>
    <dt>Agent</dt>
    <dd>{{ attempt.facts.agent_version || 'unknown' }}</dd>
    <dt>Sent by</dt>
    <dd>{{ job.submitted_by }}<span class="soft">, {{ exactly(job.submitted_at) }}</span></dd>
    <template v-if="job.secrets.length">
      <dt>Secrets</dt>
      <dd class="machine">{{ job.secrets.join(', ') }}</dd>
    </template>
    <template v-if="attempt.variable_names.length">
      <dt>Environment</dt>
      <dd>
        <details>
          <summary>{{ count(attempt.variable_names.length, 'name') }}</summary>
          <p v-for="name in attempt.variable_names" :key="name" class="machine variable">{{ name }}<template v-if="attempt.variable_values[name]"> = {{ attempt.variable_values[name] }}</template></p>
        </details>
      </dd>
    </template>
  </dl>
</template>

<style scoped>
.evidence {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 3px 12px;
  margin: 4px 0 12px;
}

dt {
  color: var(--ink-soft);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}

.tool {
  display: block;
}

.variable {
  margin: 0;
}

summary {
  cursor: pointer;
}
</style>
