<script setup lang="ts">
import { Segmented } from 'ant-design-vue'
import { computed, ref } from 'vue'
import type { Schemas } from '../../api/client'
import ReadingChart from './ReadingChart.vue'

/** What a host's heartbeats say, drawn. */
const props = defineProps<{ host: Schemas['Host'] }>()
const SPANS: Record<string, number> = { hour: 1, day: 24, week: 168, month: 720 }
const span = ref('day')
const shown = computed(() => [
  { reading: 'load' as const, capacity: undefined },
  { reading: 'memory_free' as const, capacity: props.host.facts.memory },
  { reading: 'disk_free' as const, capacity: props.host.facts.disk_total },
  { reading: 'clock' as const, capacity: undefined },
])
</script>

<template>
  <section>
    <h2 class="row"><span>Readings</span><Segmented v-model:value="span" size="small" :options="Object.keys(SPANS)" aria-label="Period" /></h2>
    <div class="charts">
      <ReadingChart v-for="one in shown" :key="one.reading" :host="host.name" :reading="one.reading" :capacity="one.capacity" :hours="SPANS[span] ?? 24" />
    </div>
  </section>
</template>

<style scoped>
section {
  margin-top: 22px;
}

h2 {
  justify-content: space-between;
  margin-bottom: 6px;
}

.charts {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  gap: 8px 18px;
}
</style>
