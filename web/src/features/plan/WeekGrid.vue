<script setup lang="ts">
import { computed } from 'vue'
import { DAYS, FULL, percent, type Grid } from './plan'

/** Each hour of the week: a bar per hour, a row per day. Shares of slots are out of one, and full hours stand out; jobs are out of the busiest hour. */
const props = defineProps<{ grid: Grid; label: string; counts?: 'jobs' }>()
const most = computed(() => (props.counts ? Math.max(1e-9, ...props.grid.flatMap((day) => day.map((part) => part ?? 0))) : 1))
const inWords = (part: number) => (props.counts ? `${part < 10 ? part.toFixed(1) : Math.round(part)} jobs an hour` : percent(part))
const rows = computed(() =>
  props.grid.map((day, at) => ({
    name: DAYS[at] ?? '',
    summary: `${DAYS[at]}: at most ${inWords(Math.max(0, ...day.map((part) => part ?? 0)))}`,
    hours: day.map((part, hour) => ({ part, hour, height: `${Math.round(100 * Math.min(1, (part ?? 0) / most.value))}%`, isFull: !props.counts && (part ?? 0) >= FULL, title: `${DAYS[at]} ${hour}:00, ${part === null ? 'not recorded' : inWords(part)}` })),
  })),
)
</script>

<template>
  <div class="grid" role="img" :aria-label="`${label}. ${rows.map((row) => row.summary).join('; ')}`">
    <div v-for="row in rows" :key="row.name" class="day">
      <span class="name">{{ row.name }}</span>
      <span v-for="one in row.hours" :key="one.hour" class="hour" :class="{ full: one.isFull, absent: one.part === null }" :title="one.title"><i :style="{ height: one.height }"></i></span>
    </div>
    <div class="day foot" aria-hidden="true">
      <span class="name"></span>
      <span v-for="hour in 24" :key="hour" class="tick"><template v-if="(hour - 1) % 6 === 0">{{ hour - 1 }}:00</template></span>
    </div>
  </div>
</template>

<style scoped>
.grid {
  max-width: 760px;
}

.day {
  display: grid;
  grid-template-columns: 40px repeat(24, minmax(0, 1fr));
  gap: 2px;
  margin-bottom: 2px;
}

.name {
  color: var(--ink-soft);
  font-size: 12.5px;
  line-height: 20px;
}

.hour {
  display: flex;
  align-items: flex-end;
  height: 20px;
  background: var(--paper-deep);
}

.hour i {
  width: 100%;
  background: var(--yellow-deep);
}

.hour.full i {
  background: var(--rust);
}

.hour.absent {
  background: repeating-linear-gradient(-45deg, transparent 0 4px, var(--hatch) 4px 5px);
}

.foot .tick {
  overflow: visible;
  color: var(--ink-soft);
  font-size: 12px;
  white-space: nowrap;
}
</style>
