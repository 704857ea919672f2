<script setup lang="ts">
import { computed } from 'vue'
import { bound, onAxis, waitTicks, type Waits } from './plan'
import { duration } from '../../kit/format'

/** Of 100 jobs, how many wait no longer than so long: before a change and after it, on one plot. */
const props = defineProps<{ before: Waits; after?: Waits; name: string; target?: number }>()
const WIDTH = 330
const HEIGHT = 150
const longest = computed(() => Math.max(60, props.before.longest, props.after?.longest ?? 0))

function path(waits: Waits): string {
  return waits.curve.map(([seconds = 0, part = 0], at) => `${at ? 'L' : 'M'}${(onAxis(seconds, longest.value) * WIDTH).toFixed(1)} ${(HEIGHT * (1 - part)).toFixed(1)}`).join(' ')
}

const ticks = computed(() => waitTicks(longest.value).map((seconds) => ({ seconds, x: onAxis(seconds, longest.value) * WIDTH, text: seconds ? duration(seconds) : '0' })))
const summary = computed(() => {
  const said = (waits: Waits) => (waits.high ? `95 of 100 wait under ${bound(waits.high.value)}` : 'too few jobs')
  return props.after ? `Waits of ${props.name}. Today ${said(props.before)}, then ${said(props.after)}` : `Waits of ${props.name}: ${said(props.before)}`
})
</script>

<template>
  <svg class="curve" :viewBox="`-34 -8 ${WIDTH + 50} ${HEIGHT + 30}`" role="img" :aria-label="summary">
    <g v-for="part in [0, 0.5, 1]" :key="part" class="grid">
      <line x1="0" :x2="WIDTH" :y1="HEIGHT * (1 - part)" :y2="HEIGHT * (1 - part)" />
      <text x="-6" :y="HEIGHT * (1 - part) + 4" text-anchor="end">{{ part * 100 }}</text>
    </g>
    <line class="mark" x1="0" :x2="WIDTH" :y1="HEIGHT * 0.05" :y2="HEIGHT * 0.05" />
    <line v-if="target && target < longest" class="target" :x1="onAxis(target, longest) * WIDTH" :x2="onAxis(target, longest) * WIDTH" y1="0" :y2="HEIGHT" />
    <g v-for="tick in ticks" :key="tick.seconds" class="grid"><text :x="tick.x" :y="HEIGHT + 16" text-anchor="middle">{{ tick.text }}</text></g>
    <path class="before" :d="path(before)" />
    <path v-if="after" class="after" :d="path(after)" />
  </svg>
  <p class="legend" aria-hidden="true"><span class="before">{{ after ? 'today' : 'recorded work' }}</span><span v-if="after" class="after">then</span><span class="soft">jobs of 100 that wait no longer</span></p>
</template>

<style scoped>
.curve {
  display: block;
  width: 100%;
  max-width: 420px;
}

.grid line {
  stroke: var(--fence);
}

.grid text {
  fill: var(--ink-soft);
  font-size: 12px;
}

.mark {
  stroke: var(--ink-soft);
  stroke-dasharray: 2 3;
}

.target {
  stroke: var(--rust);
  stroke-width: 1.5;
}

path {
  fill: none;
  stroke-width: 2;
}

path.before {
  stroke: var(--slate);
}

path.after {
  stroke: var(--yellow-deep);
  stroke-width: 3;
}

.legend {
  display: flex;
  gap: 14px;
  font-size: 12.5px;
}

.legend .before::before,
.legend .after::before {
  display: inline-block;
  width: 18px;
  margin-right: 5px;
  border-top: 2px solid var(--slate);
  vertical-align: middle;
  content: '';
}

.legend .after::before {
  border-top: 3px solid var(--yellow-deep);
}
</style>
