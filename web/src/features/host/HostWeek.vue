<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { days, lanes } from './week'
import { exactly, weekday } from '../../kit/moments'

/** A host's week on one time axis: what changed before it broke? */
const props = defineProps<{ name: string }>()
const router = useRouter()
const week = ref<Schemas['Week'] | null>(null)
const trouble = ref('')

async function load(): Promise<void> {
  const asked = props.name
  try {
    const answer = await answered(api.GET('/api/v1/hosts/{name}/week/', { params: { path: { name: asked } } }))
    if (asked === props.name) week.value = answer
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
const loadSoon = gathered(load, 800)
watch(() => props.name, load, { immediate: true })
onNote((note) => {
  if (note.noun === 'finding' || note.noun === 'everything' || (note.noun === 'host' && note.name === props.name)) loadSoon()
})

/** Not there, and nothing wrong with that: a thin line, as the thin edge of a plate. */
const THIN = new Set(['stopped', 'missing', 'never-seen', 'cancelled', 'note'])

const when = (seconds: number) => exactly(seconds * 1000)
const shown = computed(() => (week.value ? lanes(week.value, when) : []))
const marks = computed(() => (week.value ? days(week.value.start, week.value.end, (at) => weekday(at * 1000)) : []))

function open(job?: number): void {
  if (job) void router.push({ name: 'board', params: { id: String(job) } })
}
</script>

<template>
  <section class="week" aria-label="The last seven days">
    <h2>The last seven days</h2>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div v-for="lane in shown" :key="lane.name" class="lane" :data-lane="lane.name">
      <span class="name" :title="lane.name">{{ lane.name }}</span>
      <svg viewBox="0 0 1000 16" preserveAspectRatio="none" role="img" :aria-label="`${lane.name}: ${lane.bars.length + lane.marks.length} entries`">
        <defs>
          <pattern id="week-hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width="6" height="6" class="hatch-ground" />
            <rect width="2" height="6" class="hatch-line" />
          </pattern>
          <pattern id="week-trouble" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)">
            <rect width="7" height="7" class="trouble-ground" />
            <rect width="2" height="7" class="trouble-line" />
          </pattern>
        </defs>
        <line v-for="mark in marks" :key="mark.x" :x1="mark.x" :x2="mark.x" y1="0" y2="16" class="day" />
        <rect v-for="(bar, i) in lane.bars" :key="i" :x="bar.x" :width="bar.width" :y="THIN.has(bar.state) ? 6 : 2" :height="THIN.has(bar.state) ? 4 : 12" :class="['bar', bar.state, { job: bar.to }]" @click="open(bar.to)">
          <title>{{ bar.title }}</title>
        </rect>
        <path v-for="(mark, i) in lane.marks" :key="`m${i}`" :d="`M${mark.x} 2v12`" class="mark"><title>{{ mark.title }}</title></path>
      </svg>
    </div>
    <div class="lane">
      <span></span>
      <div class="days"><span v-for="mark in marks" :key="mark.x" :style="{ left: `${mark.x / 10}%` }">{{ mark.name }}</span></div>
    </div>
    <p class="soft key">
      <span><i class="connected"></i>connected, running, passed</span><span><i class="lost"></i>lost, failed, urgent</span><span><i class="stopped"></i>stopped</span><span><i class="held"></i>held</span><span><i class="soon"></i>soon</span><span><b></b>tool changed</span>
    </p>
  </section>
</template>

<style scoped>
.week {
  margin-top: 18px;
}

h2 {
  margin-bottom: 4px;
}

.lane {
  display: grid;
  grid-template-columns: 84px minmax(0, 1fr);
  gap: 10px;
  align-items: center;
  font-size: 12.5px;
}

.name {
  overflow: hidden;
  color: var(--ink-soft);
  text-align: right;
  text-overflow: ellipsis;
  white-space: nowrap;
}

svg {
  width: 100%;
  height: 18px;
  border-bottom: 1px solid var(--fence);
}

.day {
  stroke: var(--fence);
  vector-effect: non-scaling-stroke;
}

.bar {
  fill: var(--slate);
}

.bar.job {
  cursor: pointer;
}

.bar.connected,
.bar.running,
.bar.passed {
  fill: var(--moss);
}

.bar.lost,
.bar.failed,
.bar.urgent,
.bar.timed-out {
  fill: url('#week-trouble');
}

.trouble-ground {
  fill: var(--rust);
}

.trouble-line {
  fill: var(--rust-pale);
}

.bar.stopped,
.bar.missing,
.bar.never-seen,
.bar.cancelled,
.bar.note {
  fill: var(--slate);
}

.bar.soon,
.bar.trying-again {
  fill: var(--yellow);
}

.bar.held {
  fill: url('#week-hatch');
}

.hatch-ground {
  fill: var(--plate);
}

.hatch-line {
  fill: var(--slate);
}

.mark {
  stroke: var(--water);
  stroke-width: 3;
  vector-effect: non-scaling-stroke;
}

.days {
  position: relative;
  height: 18px;
  color: var(--ink-soft);
}

.days span {
  position: absolute;
  transform: translateX(-50%);
  white-space: nowrap;
}

.key {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  margin-left: 94px;
  font-size: 12px;
}

.key span {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}

.key i {
  width: 18px;
  height: 9px;
  background: var(--moss);
}

.key i.lost {
  background: repeating-linear-gradient(-45deg, var(--rust) 0 4px, var(--rust-pale) 4px 6px);
}

.key i.stopped {
  height: 3px;
  background: var(--slate);
}

.key i.soon {
  background: var(--yellow);
}

.key i.held {
  border: 1px solid var(--fence);
  background: repeating-linear-gradient(-45deg, transparent 0 3px, var(--slate) 3px 5px);
}

.key b {
  width: 3px;
  height: 11px;
  background: var(--water);
}
</style>
