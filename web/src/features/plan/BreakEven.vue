<script setup lang="ts">
import { computed } from 'vue'
import { money } from '../../kit/format'

/** A host of one's own against a rented one, by the hours that it works a month. */
const props = defineProps<{ points: number[][]; hours: number | null; currency: string }>()
const WIDTH = 420
const HEIGHT = 120
const longest = computed(() => props.points.at(-1)?.[0] ?? 1)
const most = computed(() => Math.max(1, ...props.points.flatMap(([, own = 0, rented = 0]) => [own, rented])))
const line = (column: 1 | 2) => props.points.map((point, at) => `${at ? 'L' : 'M'}${((WIDTH * (point[0] ?? 0)) / longest.value).toFixed(1)} ${(HEIGHT * (1 - (point[column] ?? 0) / most.value)).toFixed(1)}`).join(' ')
const summary = computed(() => (props.hours === null ? 'A rented machine costs less than an owned host at any number of hours' : `An owned host costs less than a rented one from ${Math.round(props.hours)} hours of work a month on`))
</script>

<template>
  <figure>
    <svg :viewBox="`-10 -12 ${WIDTH + 70} ${HEIGHT + 34}`" role="img" :aria-label="summary">
      <line class="axis" x1="0" :x2="WIDTH" :y1="HEIGHT" :y2="HEIGHT" />
      <path class="own" :d="line(1)" /><path class="rented" :d="line(2)" />
      <line v-if="hours !== null" class="even" :x1="(WIDTH * hours) / longest" :x2="(WIDTH * hours) / longest" y1="0" :y2="HEIGHT" />
      <text :x="WIDTH + 4" :y="HEIGHT * (1 - (points.at(-1)?.[1] ?? 0) / most) + 4">owned</text>
      <text :x="WIDTH + 4" :y="HEIGHT * (1 - (points.at(-1)?.[2] ?? 0) / most) + 4">rented</text>
      <text x="0" :y="HEIGHT + 16">0 h a month</text><text :x="WIDTH" :y="HEIGHT + 16" text-anchor="end">{{ Math.round(longest) }} h</text>
    </svg>
    <figcaption>{{ summary }} ({{ money(points[0]?.[1], currency) }} a month for the mean owned host).</figcaption>
  </figure>
</template>

<style scoped>
figure {
  max-width: 520px;
  margin: 10px 0;
}

text {
  fill: var(--ink-soft);
  font-size: 12px;
}

.axis {
  stroke: var(--fence);
}

path {
  fill: none;
  stroke-width: 2;
}

.own {
  stroke: var(--ink);
}

.rented {
  stroke: var(--water);
  stroke-dasharray: 5 3;
}

.even {
  stroke: var(--rust);
  stroke-dasharray: 2 3;
}
</style>
