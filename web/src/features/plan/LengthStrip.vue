<script setup lang="ts">
import { computed } from 'vue'
import { onAxis } from './plan'
import { duration } from '../../kit/format'

/** How long jobs take, on one axis for all kinds of work: 90 of 100 lie on the thin line, half of them in the bar, the mark is the middle. */
const props = defineProps<{ lengths: number[]; longest: number }>()
const WIDTH = 90
const x = (at: number) => onAxis(props.lengths[at] ?? 0, props.longest) * WIDTH
const summary = computed(() => `90 of 100 take ${duration(props.lengths[0] ?? 0)} to ${duration(props.lengths[4] ?? 0)}, half of them ${duration(props.lengths[1] ?? 0)} to ${duration(props.lengths[3] ?? 0)}`)
</script>

<template>
  <svg :viewBox="`0 0 ${WIDTH} 10`" role="img" :aria-label="summary">
    <title>{{ summary }}</title>
    <line class="all" :x1="x(0)" :x2="x(4)" y1="5" y2="5" />
    <rect class="half" :x="x(1)" y="2" :width="Math.max(1, x(3) - x(1))" height="6" />
    <line class="middle" :x1="x(2)" :x2="x(2)" y1="0" y2="10" />
  </svg>
</template>

<style scoped>
svg {
  display: block;
  width: 90px;
  height: 10px;
  margin: 4px 0 0 auto;
}

.all {
  stroke: var(--slate);
}

.half {
  fill: var(--yellow-deep);
  opacity: 0.6;
}

.middle {
  stroke: var(--ink);
  stroke-width: 1.5;
}
</style>
