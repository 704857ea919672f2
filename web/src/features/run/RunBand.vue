<script setup lang="ts">
import { computed } from 'vue'
import type { AttemptSheet } from './run'
import { useNow } from '../../kit/clock'
import { duration } from '../../kit/format'
import { exactly } from '../../kit/moments'

/** How the time of a run went: waiting, setting up, and each step, drawn to scale; under it what became of each step. */
const props = defineProps<{ attempt: AttemptSheet }>()
const emit = defineEmits<{ line: [line: number] }>()
const now = useNow(1000)

type Step = AttemptSheet['steps'][number]

function seconds(step: Step): number | null {
  if (!step.began_at) return null
  const end = step.ended_at ? Date.parse(step.ended_at) : props.attempt.ended_at ? Date.parse(props.attempt.ended_at) : now.value
  return Math.max(0, (end - Date.parse(step.began_at)) / 1000)
}

const GOOD = (step: Step) => step.outcome === 'exited' && step.exit_code === 0

function word(step: Step): string {
  if (step.outcome === '') return 'not reached'
  if (GOOD(step)) return 'passed'
  if (step.outcome === 'exited') return step.signal ? `a command was killed by ${step.signal}` : `exit code ${step.exit_code}`
  if (step.outcome === 'signalled') return `killed by ${step.signal || `signal ${-(step.exit_code ?? 0)}`}`
  return step.outcome
}

function kind(step: Step): string {
  if (step.outcome === '' || step.outcome === 'skipped') return 'not-run'
  if (step.outcome === 'running') return 'now'
  return GOOD(step) ? 'good' : 'bad'
}

/** Stretches of time from being sent to the end. What is shorter than a fortieth is drawn as long as that. */
const stretches = computed(() => {
  const { times, steps } = props.attempt
  const found = [
    { key: 'waited', name: 'waited', seconds: times.waited, kind: 'waited' },
    ...(times.set_up === null ? [] : [{ key: 'set-up', name: 'set up', seconds: Math.max(0, times.set_up - steps.filter((one) => one.checkout).reduce((sum, one) => sum + (seconds(one) ?? 0), 0)), kind: 'waited' }]),
    ...steps.filter((step) => seconds(step) !== null).map((step) => ({ key: `step-${step.number}`, name: step.name, seconds: seconds(step) ?? 0, kind: kind(step) })),
  ]
  const least = found.reduce((sum, one) => sum + one.seconds, 0) / 40
  return found.map((one) => ({ ...one, share: Math.max(one.seconds, least, 0.01) }))
})
</script>

<template>
  <section class="band" aria-label="Time line">
    <div class="time" role="img" :aria-label="stretches.map((one) => `${one.name} ${duration(one.seconds)}`).join(', ')">
      <div v-for="one in stretches" :key="one.key" :class="['stretch', one.kind]" :style="{ flexGrow: one.share }" :title="`${one.name}: ${duration(one.seconds)}`">
        <span>{{ one.name }}</span>
      </div>
    </div>
    <ol>
      <li v-for="step in attempt.steps" :key="step.number" :class="kind(step)" :data-step="step.number" :data-outcome="step.outcome">
        <button v-if="step.line" type="button" class="bare name" :title="`Its first line is ${step.line}`" @click="emit('line', step.line)">{{ step.name }}</button>
        <span v-else class="name">{{ step.name }}</span>
        <em>{{ word(step) }}</em>
        <span v-if="seconds(step) !== null" class="soft" :title="step.began_at ? exactly(step.began_at) : ''">{{ duration(seconds(step) ?? 0) }}</span>
        <span v-if="step.always" class="soft">always runs</span>
        <code v-if="step.commit" :title="step.commit">{{ step.commit.slice(0, 10) }}</code>
        <span v-if="step.why && kind(step) === 'bad'" class="why">{{ step.why }}</span>
      </li>
    </ol>
  </section>
</template>

<style scoped>
.time {
  display: flex;
  gap: 2px;
  height: 26px;
}

.stretch {
  flex-basis: 0;
  min-width: 3px;
  padding: 0 6px;
  overflow: hidden;
  border: 1.5px solid var(--ink);
  border-radius: 2px;
  background: var(--plate);
  font-size: 12px;
  line-height: 22px;
  white-space: nowrap;
  text-overflow: ellipsis;
}

.stretch.waited {
  border-style: dotted;
  border-color: var(--slate);
  background: none;
  color: var(--ink-soft);
}

.stretch.now {
  border-style: dashed;
  background: var(--yellow);
  color: var(--on-yellow);
}

.stretch.bad {
  border-color: var(--rust);
  background: linear-gradient(135deg, var(--plate) calc(100% - 9px), var(--rust) calc(100% - 8px));
}

ol {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
}

li {
  display: flex;
  align-items: baseline;
  gap: 6px;
}

.name {
  max-width: 340px;
  overflow: hidden;
  font-weight: 600;
  text-overflow: ellipsis;
  white-space: nowrap;
}

button.name {
  text-decoration: underline dotted;
  text-underline-offset: 3px;
}

em {
  font-size: 12.5px;
  font-style: normal;
}

.good em {
  color: var(--moss);
}

.bad em,
.why {
  color: var(--rust);
}

.not-run .name,
.not-run em {
  color: var(--ink-soft);
  font-weight: 400;
}
</style>
