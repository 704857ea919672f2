<script setup lang="ts">
import type { Schemas } from '../../api/client'
import HelpButton from './HelpButton.vue'
import { count } from '../../kit/format'

/** For all waiting jobs together: the fewest steps that would let most of them run, the most helpful first. */
defineProps<{ board: Schemas['Board'] }>()
const emit = defineEmits<{ helped: [] }>()

function wordsFor(one: Schemas['Help'], jobs: number): string | undefined {
  if (one.kind !== 'correct the job') return undefined
  const where = jobs === 1 ? 'the job' : `all ${jobs} jobs`
  return one.what ? `write ${one.instead} for ${one.what} in ${where}` : `add ${one.instead} to ${where}`
}
</script>

<template>
  <h1>What would help most</h1>
  <p class="soft">
    {{ count(board.blocked, 'job') }} {{ board.blocked === 1 ? 'is' : 'are' }} blocked by something that will not clear by itself. These steps unblock the most
    jobs for the least work.
  </p>
  <ol v-if="board.steps.length" class="steps">
    <li v-for="(step, place) in board.steps" :key="place" :data-step="place">
      <strong class="gain">{{ step.count }}</strong>
      <span class="soft unit">{{ step.count === 1 ? 'job' : 'jobs' }}</span>
      <div class="what">
        <HelpButton v-for="one in step.remedies" :key="one.text" :help="one" :label="wordsFor(one, step.count)" :jobs="step.jobs" @done="emit('helped')" />
        <p class="soft">
          lets
          <template v-for="(job, at) in step.jobs.slice(0, 6)" :key="job"><template v-if="at">, </template><RouterLink :to="{ name: 'board', params: { id: String(job) } }">job {{ job }}</RouterLink></template>
          <template v-if="step.count > 6"> and {{ step.count - 6 }} more</template> run
        </p>
      </div>
      <i :style="{ width: `${Math.round((100 * step.count) / Math.max(1, board.blocked))}%` }" aria-hidden="true"></i>
    </li>
  </ol>
  <p v-else class="soft">No waiting job can be unblocked by a step here.</p>
</template>

<style scoped>
.steps {
  margin: 12px 0 0;
  padding: 0;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
  list-style: none;
}

li {
  display: grid;
  position: relative;
  grid-template-columns: 44px 40px minmax(0, 1fr);
  align-items: start;
  gap: 0 8px;
  padding: 8px 14px 10px;
  border-bottom: 1px solid var(--fence);
}

li:last-child {
  border-bottom: 0;
}

.gain {
  font-size: 20px;
  line-height: 1.2;
  text-align: right;
}

.unit {
  padding-top: 4px;
}

.what {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
}

.what p {
  flex-basis: 100%;
  margin: 0;
  font-size: 12px;
}

i {
  position: absolute;
  bottom: 0;
  left: 0;
  height: 3px;
  background: var(--moss);
}
</style>
