<script setup lang="ts">
import { computed, ref } from 'vue'
import { colour, frame, sizeStep, useChart } from '../host/time-chart'
import type { PulseStep } from './server'
import { inMoments } from './server'

/** One of the server's own measures over the last day: the worst of every five minutes. */
const props = defineProps<{ title: string; steps: PulseStep[]; measure: 'delay' | 'dispatch' | 'queue' }>()
const place = ref<HTMLElement | null>(null)
const worst = computed(() => Math.max(0, ...props.steps.map((step) => step[props.measure])))
const named = (value: number): string => (props.measure === 'queue' ? String(Math.round(value)) : inMoments(value))

useChart(place, () => {
  const end = Date.now() / 1000
  const first = props.steps[0] ? Date.parse(props.steps[0].at) / 1000 : end
  const most = Math.max(worst.value, props.measure === 'queue' ? 4 : 0.02)
  return {
    ...frame(Math.min(first, end - 1800), end, named, { most, step: sizeStep(most, 1000) }),
    tooltip: { trigger: 'axis', valueFormatter: (value: unknown) => named(Number(value)) },
    series: [
      {
        type: 'line',
        name: props.title,
        showSymbol: props.steps.length < 3,
        lineStyle: { color: colour('water'), width: 1.5 },
        itemStyle: { color: colour('water') },
        data: props.steps.map((step) => [Date.parse(step.at), step[props.measure]]),
      },
    ],
  }
})
</script>

<template>
  <figure :data-pulse="measure" :data-points="steps.length">
    <figcaption>{{ title }} <span class="soft">{{ steps.length ? `at most ${named(worst)}` : 'measured from the first minute on' }}</span></figcaption>
    <div ref="place" class="place" role="img" :aria-label="`${title} over the last day: at most ${named(worst)}`"></div>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  min-width: 0;
}

figcaption {
  font-weight: 500;
}

.place {
  height: 84px;
}
</style>
