<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import RunLog from './RunLog.vue'
import MachineText from '../../kit/MachineText.vue'
import { duration } from '../../kit/format'
import { exactly } from '../../kit/moments'

/** The evidence of one attempt: which host, account and folder, which tools, what came out, and the log. */
const props = defineProps<{ job: number; attempt: Schemas['Attempt']; showsLog: boolean }>()

const times = computed(() => {
  const { offered_at, started_at, ended_at } = props.attempt
  if (!started_at) return `offered ${exactly(offered_at)}`
  if (!ended_at) return `began ${exactly(started_at)}`
  return `${exactly(started_at)}, ${duration((Date.parse(ended_at) - Date.parse(started_at)) / 1000)}`
})
</script>

<template>
  <dl class="proof">
    <dt>Host</dt>
    <dd><RouterLink :to="{ name: 'host', params: { name: attempt.host } }">{{ attempt.host }}</RouterLink></dd>
    <dt>Result</dt>
    <dd>
      <strong :class="{ well: attempt.state === 'passed', trouble: ['failed', 'lost', 'timed out', 'refused'].includes(attempt.state) }">{{ attempt.state }}</strong><template v-if="attempt.exit_code !== null">, exit code {{ attempt.exit_code }}</template>
      <span v-if="attempt.note" class="soft"> · {{ attempt.note }}</span>
    </dd>
    <template v-if="attempt.why">
      <dt>Why this host</dt>
      <dd>{{ attempt.why.replaceAll('`', '') }}</dd>
    </template>
    <template v-if="attempt.account">
      <dt>Account</dt>
      <dd class="machine">{{ attempt.account }}</dd>
      <dt>Folder</dt>
      <dd><MachineText :text="attempt.folder" /></dd>
    </template>
    <dt>When</dt>
    <dd>{{ times }}</dd>
    <template v-if="attempt.tools.length">
      <dt>Tools</dt>
      <dd>
        <span v-for="tool in attempt.tools" :key="tool.tool + tool.path" class="machine tool">{{ tool.tool }} {{ tool.version }} at <MachineText :text="tool.path" /></span>
      </dd>
    </template>
  </dl>
  <p><RouterLink :to="{ name: 'run', params: { id: job }, query: { attempt: attempt.number } }" data-act="open-run">Open the run</RouterLink></p>
  <RunLog v-if="showsLog && attempt.started_at" :job="job" :attempt="attempt.number" />
</template>

<style scoped>
.proof {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 3px 14px;
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
</style>
