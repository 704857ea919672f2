<script setup lang="ts">
import type { Schemas } from '../../api/client'
import MachineText from '../../kit/MachineText.vue'
import { count, duration } from '../../kit/format'
import { exactly } from '../../kit/moments'
import { memorySize } from '../../kit/units'
import AttemptEvidence from './AttemptEvidence.vue'
import type { AttemptSheet } from './run'

/** Did it really run there, as whom, in which folder, with what? */
defineProps<{ attempt: AttemptSheet; job: Schemas['JobSheet'] }>()
</script>

<template>
  <AttemptEvidence :attempt="attempt">
    <template #host> in {{ attempt.paddock }}<span v-if="attempt.facts.os_name" class="soft"> · {{ attempt.facts.os_name }}, {{ attempt.facts.arch }}</span></template>
    <template #folder>{{ ' ' }}<span class="soft">{{ attempt.warm ? 'warm: reused' : 'empty at the start' }}</span></template>
    <template v-if="attempt.commit">
      <dt>Commit</dt>
      <dd><MachineText :text="attempt.commit" /></dd>
    </template>
    <template v-if="attempt.processor !== null || attempt.memory !== null">
      <dt>Used</dt>
      <dd data-used><template v-if="attempt.processor !== null">{{ duration(attempt.processor) }} of processor</template><template v-if="attempt.processor !== null && attempt.memory !== null">, </template><template v-if="attempt.memory !== null">{{ memorySize(attempt.memory) }} peak memory</template></dd>
    </template>
    <template v-if="attempt.leftover_processes.length">
      <dt>Left running</dt>
      <dd class="trouble"><span v-for="one in attempt.leftover_processes" :key="one.pid" class="machine line">{{ one.name }} ({{ one.pid }}){{ one.ended ? ', ended by the agent' : '' }}</span></dd>
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
  </AttemptEvidence>
</template>

<style scoped>
.variable {
  margin: 0;
}

summary {
  cursor: pointer;
}
</style>
