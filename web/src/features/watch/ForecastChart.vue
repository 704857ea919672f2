<script setup lang="ts">
import { ref } from 'vue'
import type { Schemas } from '../../api/client'
import { colour, frame, sizeStep, useChart } from '../host/time-chart'
import { inDays } from '../../kit/format'
import { diskSize } from '../../kit/units'

/** A disk that fills up: what was free, and where that leads to, with its band. */
const props = defineProps<{ forecast: Schemas['Forecast'] }>()
const place = ref<HTMLElement | null>(null)

useChart(place, () => {
  const { read, forecast } = props.forecast
  const most = Math.max(1, ...read.map(([, free = 0]) => free))
  const begin = read[0]?.[0] ?? forecast[0]?.[0] ?? 0
  const end = forecast.at(-1)?.[0] ?? begin + 1
  const band = { type: 'line', stack: 'band', symbol: 'none', lineStyle: { opacity: 0 }, silent: true, tooltip: { show: false } }
  const line = { type: 'line', symbol: 'none' }
  return {
    ...frame(begin, end, diskSize, { most, step: sizeStep(most, 1000) }),
    tooltip: { trigger: 'axis', valueFormatter: (value: unknown) => diskSize(Number(value)) },
    series: [
      { ...band, data: forecast.map(([at = 0, , low]) => [at * 1000, low]) },
      { ...band, areaStyle: { color: colour('rust-pale') }, data: forecast.map(([at = 0, , low = 0, high = 0]) => [at * 1000, high - low]) },
      { ...line, name: 'free', lineStyle: { color: colour('water'), width: 1.2 }, itemStyle: { color: colour('water') }, data: read.map(([at = 0, free]) => [at * 1000, free]) },
      {
        ...line,
        name: 'expected',
        lineStyle: { color: colour('rust'), type: 'dashed', width: 1.5 },
        itemStyle: { color: colour('rust') },
        data: forecast.map(([at = 0, expected]) => [at * 1000, expected]),
        markLine: {
          silent: true,
          symbol: 'none',
          label: { formatter: 'now', color: colour('ink-soft') },
          lineStyle: { color: colour('ink-soft'), type: 'solid', width: 1 },
          data: [{ xAxis: Date.now() }],
        },
      },
    ],
  }
})

/** The interval of the forecast, left out where both ends read alike. */
function between(soonest: string, latest: string): string {
  return soonest === latest ? '' : `(${soonest} to ${latest}), `
}
</script>

<template>
  <figure :data-forecast="forecast.host">
    <figcaption>
      <RouterLink :to="{ name: 'host', params: { name: forecast.host } }">{{ forecast.host }}</RouterLink>
      full in about <strong>{{ inDays(forecast.full_in) }}</strong>{{ ' ' }}<span class="soft">{{ between(inDays(forecast.full_soonest), inDays(forecast.full_latest)) }}of {{ diskSize(forecast.total) }}</span>
    </figcaption>
    <div ref="place" class="place" role="img" :aria-label="`Free disk of ${forecast.host}, with its forecast`"></div>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  min-width: 0;
}

.place {
  height: 170px;
}
</style>
