<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import { inWeeks } from './plan'
import { count } from '../../kit/format'

/** Slot-hours by week with where they lead to; the line is what today's hosts carry within the target. */
const props = defineProps<{ growth: Schemas['WorkGrowth']; carries?: number; breaksIn?: number; name: string }>()
const AHEAD = 12
const WIDTH = 700
const HEIGHT = 120
const step = computed(() => WIDTH / (props.growth.weeks.length + AHEAD))
const now = computed(() => step.value * props.growth.weeks.length)
const most = computed(() => Math.max(1, ...props.growth.weeks, at(props.growth.high, AHEAD), props.carries ?? 0) * 1.08)
const at = (rate: number, weeks: number) => props.growth.level * (1 + rate) ** weeks
const y = (hours: number) => HEIGHT * (1 - hours / most.value)
const points = (rate: number) => Array.from({ length: AHEAD + 1 }, (_, week) => `${(now.value + step.value * week).toFixed(1)} ${y(at(rate, week)).toFixed(1)}`)
const band = computed(() => `M${points(props.growth.high).join(' L')} L${points(props.growth.low).reverse().join(' L')} Z`)
const ticks = computed(() => {
  const size = 10 ** Math.floor(Math.log10(most.value))
  const each = most.value / size > 5 ? size * 2 : most.value / size > 2 ? size : size / 2
  return Array.from({ length: Math.floor(most.value / each) + 1 }, (_, n) => n * each)
})
const summary = computed(() => `Slot-hours a week of ${props.name}: ${props.growth.weeks.map((one) => Math.round(one)).join(', ')}; about ${Math.round(at(props.growth.rate, AHEAD))} in ${count(AHEAD, 'week')}`)
</script>

<template>
  <svg class="bars" :viewBox="`-56 -14 ${WIDTH + 66} ${HEIGHT + 32}`" role="img" :aria-label="summary">
    <g v-for="tick in ticks" :key="tick" class="grid">
      <line x1="0" :x2="WIDTH" :y1="y(tick)" :y2="y(tick)" />
      <text x="-8" :y="y(tick) + 4" text-anchor="end">{{ tick }} h</text>
    </g>
    <rect v-for="(hours, week) in growth.weeks" :key="week" class="week" :x="step * week + step * 0.2" :width="step * 0.6" :y="y(hours)" :height="HEIGHT - y(hours)"><title>{{ Math.round(hours) }} slot-hours, {{ growth.weeks.length - week }} weeks ago</title></rect>
    <path class="band" :d="band" />
    <path class="line" :d="`M${points(growth.rate).join(' L')}`" />
    <line class="now" :x1="now" :x2="now" y1="-6" :y2="HEIGHT" /><text class="note" :x="now + 5" y="-3">now</text>
    <template v-if="carries">
      <line class="carries" x1="0" :x2="WIDTH" :y1="y(carries)" :y2="y(carries)" />
      <text class="carried" x="4" :y="y(carries) - 5">within the target: {{ Math.round(carries) }} h</text>
    </template>
    <text v-if="breaksIn !== undefined && breaksIn <= AHEAD" class="carried" :x="now + step * breaksIn" :y="HEIGHT + 15" text-anchor="middle">{{ inWeeks(breaksIn) }}</text>
  </svg>
</template>

<style scoped>
.bars {
  display: block;
  width: 100%;
  max-width: 780px;
}

text {
  fill: var(--ink-soft);
  font-size: 12px;
}

.grid line {
  stroke: var(--fence);
}

.week {
  fill: var(--yellow-deep);
  opacity: 0.75;
}

.band {
  fill: var(--water-pale);
}

.line {
  fill: none;
  stroke: var(--water);
  stroke-dasharray: 5 4;
  stroke-width: 1.6;
}

.now {
  stroke: var(--ink);
}

.carries {
  stroke: var(--rust);
  stroke-width: 1.6;
}

.carried {
  fill: var(--rust);
}
</style>
