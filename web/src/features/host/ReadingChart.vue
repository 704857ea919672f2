<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { colour, frame, sizeStep, useChart } from './time-chart'
import { duration } from '../../kit/format'
import { diskSize, memorySize } from '../../kit/units'

/** One reading of a host over time: its mean, within a band from the least to the most. */
const props = defineProps<{ host: string; reading: Schemas['Readings']['name']; hours: number; capacity?: number }>()
const place = ref<HTMLElement | null>(null)
const read = ref<Schemas['Readings'] | null>(null)
const trouble = ref('')
let asked = 0

async function load(): Promise<void> {
  const mine = ++asked
  try {
    const query = { reading: props.reading, hours: props.hours }
    const answer = await answered(api.GET('/api/v1/hosts/{name}/readings/', { params: { path: { name: props.host }, query } }))
    if (mine !== asked) return
    read.value = answer
    trouble.value = ''
  } catch (error) {
    if (mine === asked) trouble.value = (error as Error).message
  }
}
watch(() => [props.host, props.reading, props.hours], load, { immediate: true })

const isMemory = computed(() => props.reading.includes('memory'))

function named(value: number): string {
  if (read.value?.unit === 'bytes') return isMemory.value ? memorySize(value) : diskSize(value)
  if (read.value?.unit === 's') return `${value < 0 ? '−' : ''}${Math.abs(value) < 600 ? `${Math.abs(Math.round(value * 10) / 10)} s` : duration(Math.abs(value))}`
  return String(Math.round(value * 100) / 100)
}

/** Sizes have steps of whole units; a clock may be behind. */
const scale = computed(() => {
  const most = props.capacity
  if (read.value?.unit === 'bytes') {
    const top = most ?? Math.max(1, ...read.value.rows.map((row) => row[3] ?? 0))
    return { most: top, step: sizeStep(top, isMemory.value ? 1024 : 1000) }
  }
  return { most, least: props.reading === 'clock' ? undefined : 0 }
})

useChart(place, () => {
  const rows = read.value?.rows ?? []
  const end = Date.now() / 1000
  const band = { type: 'line', stack: 'band', symbol: 'none', lineStyle: { opacity: 0 }, silent: true, tooltip: { show: false } }
  return {
    ...frame(Math.max(end - props.hours * 3600, Math.min(rows[0]?.[0] ?? 0, end - 600)), end, named, scale.value),
    tooltip: { trigger: 'axis', valueFormatter: (value: unknown) => named(Number(value)) },
    series: [
      { ...band, data: rows.map(([at = 0, least]) => [at * 1000, least]) },
      { ...band, areaStyle: { color: colour('water-pale') }, data: rows.map(([at = 0, least = 0, , most = 0]) => [at * 1000, most - least]) },
      {
        type: 'line',
        name: read.value?.title ?? '',
        symbol: 'none',
        lineStyle: { color: colour('water'), width: 1.5 },
        itemStyle: { color: colour('water') },
        data: rows.map(([at = 0, , mean]) => [at * 1000, mean]),
      },
    ],
  }
})
</script>

<template>
  <figure :data-reading="reading" :data-points="read?.rows.length ?? 0">
    <figcaption>{{ read?.title }}<span v-if="read && !read.rows.length" class="soft"> · no readings in this period</span></figcaption>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div ref="place" class="place" role="img" :aria-label="`${read?.title ?? reading} of ${host} over time`"></div>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  min-width: 0;
}

figcaption {
  font-size: 13px;
  font-weight: 500;
}

.place {
  height: 118px;
}
</style>
