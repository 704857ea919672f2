<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import type { Schemas } from '../../api/client'
import { duration } from '../../kit/format'

/** The newest runs of a job, oldest first: how long each waited (below) and took (above). What did not pass is hatched. */
const props = defineProps<{ runs: Schemas['PipelineRun'][] }>()
const router = useRouter()
const STEP = 7
const HALF = 26

/** On a scale of powers, so that seconds and hours are both seen. */
function height(seconds: number | null, most: number): number {
  return seconds === null ? 0 : Math.max(2, Math.round((HALF * Math.log1p(seconds)) / Math.log1p(most)))
}

const bars = computed(() => {
  const most = Math.max(60, ...props.runs.map((run) => Math.max(run.waited ?? 0, run.took ?? 0)))
  return props.runs.map((run, at) => ({
    run,
    x: at * STEP,
    took: height(run.took, most),
    waited: height(run.waited, most),
    isTrouble: ['failed', 'lost', 'timed out'].includes(run.state),
    isPassed: run.state === 'passed',
    title: `job ${run.id}: ${run.state}${run.host ? ` on ${run.host}` : ''}${run.waited === null ? '' : `, waited ${duration(run.waited)}`}${run.took === null ? '' : `, took ${duration(run.took)}`}`,
  }))
})
</script>

<template>
  <figure>
    <svg :viewBox="`0 0 ${Math.max(60, bars.length) * STEP} ${2 * HALF + 2}`" role="img" :aria-label="`The last ${runs.length} runs: above the line how long each took, below how long it waited`">
      <defs>
        <pattern id="did-not-pass" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><rect width="4" height="4" class="rust-pale" /><rect width="2" height="4" class="rust" /></pattern>
      </defs>
      <line x1="0" :y1="HALF + 1" :x2="Math.max(60, bars.length) * STEP" :y2="HALF + 1" class="ground" />
      <g v-for="bar in bars" :key="bar.run.id" class="bar" @click="router.push({ name: 'run', params: { id: String(bar.run.id) } })">
        <title>{{ bar.title }}</title>
        <rect :x="bar.x" y="0" :width="STEP" :height="2 * HALF + 2" class="reach" />
        <rect v-if="bar.took" :x="bar.x + 1" :y="HALF - bar.took" :width="STEP - 2" :height="bar.took" :class="{ took: bar.isPassed, cut: !bar.isPassed && !bar.isTrouble }" :fill="bar.isTrouble ? 'url(#did-not-pass)' : undefined" />
        <rect v-if="bar.waited" :x="bar.x + 1" :y="HALF + 2" :width="STEP - 2" :height="bar.waited" class="waited" />
        <rect v-if="bar.run.state === 'waiting'" :x="bar.x + 1" :y="HALF + 2" :width="STEP - 2" :height="HALF" class="waits" />
      </g>
    </svg>
    <figcaption class="soft">took, above · waited, below</figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}

svg {
  width: 100%;
  height: 58px;
}

figcaption {
  font-size: 12px;
}

.ground {
  stroke: var(--slate);
}

.bar {
  cursor: pointer;
}

.reach {
  fill: transparent;
}

.bar:hover .reach {
  fill: var(--paper-deep);
}

.took {
  fill: var(--moss);
}

.cut {
  fill: var(--slate);
}

.waited {
  fill: var(--fence);
}

.waits {
  fill: none;
  stroke: var(--slate);
  stroke-dasharray: 2 2;
}

.rust {
  fill: var(--rust);
}

.rust-pale {
  fill: var(--rust-pale);
}
</style>
