<script setup lang="ts">
import { computed } from 'vue'
import { bound, onAxis, waitTicks, type Use } from './plan'
import { duration } from '../../kit/format'

/** Waits day by day, with what changed the fleet on the same axis: half waited no longer than the bar, 95 of 100 no longer than the line. */
const props = defineProps<{ use: Use; target: number }>()
const WIDTH = 700
const HEIGHT = 110
const begin = computed(() => props.use.steps[0]?.since ?? 0)
const end = computed(() => props.use.steps.at(-1)?.until ?? 1)
const longest = computed(() => Math.max(props.target * 1.5, ...props.use.steps.map((step) => step.high ?? 0)))
const x = (at: number) => (WIDTH * (at - begin.value)) / (end.value - begin.value)
const y = (seconds: number) => HEIGHT * (1 - onAxis(seconds, longest.value))
const bars = computed(() =>
  props.use.steps.map((step) => ({
    step, x: x(step.since), width: Math.max(1, x(step.until) - x(step.since) - 1), median: y(step.median ?? 0), high: y(step.high ?? 0),
    title: `${new Date(step.since * 1000).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })}: ${step.runs} jobs${step.high === null ? '' : `, 95 of 100 waited under ${bound(step.high)}`}`,
  })),
)
const changes = computed(() => props.use.changes.map((change) => ({ ...change, x: x(Date.parse(change.at) / 1000) })))
const dates = computed(() => Array.from({ length: 5 }, (_, n) => begin.value + ((end.value - begin.value) * n) / 4).map((at) => ({ at, x: x(at), text: new Date(at * 1000).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' }) })))
</script>

<template>
  <svg class="over" :viewBox="`-56 -12 ${WIDTH + 66} ${HEIGHT + 34}`" role="img" :aria-label="`Waits over time: 95 of 100 jobs waited under ${bound(use.high_wait ?? 0)}, the longest ${duration(use.longest_wait ?? 0)}`">
    <g v-for="tick in waitTicks(longest)" :key="tick" class="grid">
      <line x1="0" :x2="WIDTH" :y1="y(tick)" :y2="y(tick)" /><text x="-8" :y="y(tick) + 4" text-anchor="end">{{ tick ? duration(tick) : '0' }}</text>
    </g>
    <g v-for="one in bars" :key="one.step.since">
      <title>{{ one.title }}</title>
      <rect class="hit" :x="one.x" y="0" :width="one.width" :height="HEIGHT" />
      <template v-if="one.step.runs">
        <rect class="high" :x="one.x" :y="one.high" :width="one.width" :height="HEIGHT - one.high" />
        <rect class="median" :x="one.x" :y="one.median" :width="one.width" :height="HEIGHT - one.median" />
      </template>
    </g>
    <line class="target" x1="0" :x2="WIDTH" :y1="y(target)" :y2="y(target)" />
    <g v-for="(change, at) in changes" :key="at" class="change"><title>{{ change.what }}</title><path :d="`M${change.x} -10 l4 7 h-8 z`" /><line :x1="change.x" :x2="change.x" y1="-3" :y2="HEIGHT" /></g>
    <text v-for="date in dates" :key="date.at" :x="date.x" :y="HEIGHT + 16" :text-anchor="date.x > WIDTH - 20 ? 'end' : 'middle'">{{ date.text }}</text>
  </svg>
</template>

<style scoped>
.over {
  display: block;
  width: 100%;
}

text {
  fill: var(--ink-soft);
  font-size: 12px;
}

.grid line {
  stroke: var(--fence);
}

.hit {
  fill: transparent;
}

.high {
  fill: var(--yellow-deep);
  opacity: 0.45;
}

.median {
  fill: var(--yellow-deep);
}

.target {
  stroke: var(--rust);
  stroke-width: 1.4;
}

.change line {
  stroke: var(--water);
  stroke-dasharray: 2 3;
}

.change path {
  fill: var(--water);
}
</style>
