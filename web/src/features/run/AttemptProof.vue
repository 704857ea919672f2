<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import { duration } from '../../kit/format'
import { exactly } from '../../kit/moments'
import AttemptEvidence from './AttemptEvidence.vue'
import RunLog from './RunLog.vue'

/** One attempt of a job on the board: its evidence, its result and its log. */
const props = defineProps<{ job: number; attempt: Schemas['Attempt']; showsLog: boolean }>()

const times = computed(() => {
  const { offered_at, started_at, ended_at } = props.attempt
  if (!started_at) return `offered ${exactly(offered_at)}`
  if (!ended_at) return `began ${exactly(started_at)}`
  return `${exactly(started_at)}, ${duration((Date.parse(ended_at) - Date.parse(started_at)) / 1000)}`
})
</script>

<template>
  <AttemptEvidence :attempt="attempt">
    <template #outcome>
      <dt>Result</dt>
      <dd>
        <strong :class="{ well: attempt.state === 'passed', trouble: ['failed', 'lost', 'timed out', 'refused'].includes(attempt.state) }">{{ attempt.state }}</strong><template v-if="attempt.exit_code !== null">, exit code {{ attempt.exit_code }}</template>
        <span v-if="attempt.note" class="soft"> · {{ attempt.note }}</span>
      </dd>
    </template>
    <dt>When</dt>
    <dd data-when>{{ times }}</dd>
  </AttemptEvidence>
  <p><RouterLink :to="{ name: 'run', params: { id: job }, query: { attempt: attempt.number } }" data-act="open-run">Open the run</RouterLink></p>
  <RunLog v-if="showsLog && attempt.started_at" :job="job" :attempt="attempt.number" />
</template>
