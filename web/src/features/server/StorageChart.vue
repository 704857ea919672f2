<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Schemas } from '../../api/client'
import { diskSize } from '../../kit/units'
import { colour, frame, sizeStep, useChart } from '../host/time-chart'

/** What the data folder holds, day by day, one part on the other. */
const props = defineProps<{ growth: Schemas['Growth'] }>()
const place = ref<HTMLElement | null>(null)
const PARTS = [
  { name: 'Database', key: 'database', tint: 'water' },
  { name: 'Logs', key: 'logs', tint: 'moss' },
  { name: 'Files', key: 'outputs', tint: 'yellow' },
] as const
const newest = computed(() => props.growth.samples[props.growth.samples.length - 1])
const rates = computed(() => ({ database: props.growth.database_rate, logs: props.growth.logs_rate, outputs: props.growth.outputs_rate }))

function perDay(rate: number | null): string {
  if (rate === null) return 'too early to say'
  return Math.abs(rate) < 1000 ? 'steady' : `${rate > 0 ? '+' : '−'}${diskSize(Math.abs(rate))} per day`
}

useChart(place, () => {
  const samples = props.growth.samples
  const end = Date.now() / 1000
  const first = samples[0] ? Date.parse(samples[0].at) / 1000 : end
  const top = Math.max(1, ...samples.map((one) => one.database + one.logs + one.outputs))
  return {
    ...frame(Math.min(first, end - 86_400), end, diskSize, { most: top, step: sizeStep(top, 1000) }),
    tooltip: { trigger: 'axis', valueFormatter: (value: unknown) => diskSize(Number(value)) },
    series: PARTS.map((part) => ({
      type: 'line',
      name: part.name,
      stack: 'data',
      showSymbol: samples.length < 3,
      lineStyle: { width: 1, color: colour(part.tint) },
      itemStyle: { color: colour(part.tint) },
      areaStyle: { color: colour(part.tint), opacity: 0.55 },
      data: samples.map((one) => [Date.parse(one.at), one[part.key]]),
    })),
  }
})
</script>

<template>
  <div>
    <div ref="place" class="place" role="img" aria-label="Database, logs and files over the last 90 days"></div>
    <dl v-if="newest">
      <div v-for="part in PARTS" :key="part.key" :data-part="part.key">
        <dt><i :style="{ background: `var(--${part.tint})` }" aria-hidden="true"></i>{{ part.name }}</dt>
        <dd>{{ diskSize(newest[part.key]) }} <span class="soft">{{ perDay(rates[part.key]) }}</span></dd>
      </div>
    </dl>
    <p v-else class="soft">The first measurement comes within a minute of the start.</p>
  </div>
</template>

<style scoped>
.place {
  height: 170px;
}

dl {
  display: flex;
  gap: 28px;
  margin: 8px 0 0;
}

dt {
  font-weight: 500;
}

dd {
  margin: 0;
}

i {
  display: inline-block;
  width: 12px;
  height: 12px;
  margin-right: 6px;
  border: 1px solid var(--ink);
  vertical-align: -1px;
}
</style>
