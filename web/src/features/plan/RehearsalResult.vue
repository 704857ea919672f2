<script setup lang="ts">
import { computed, ref } from 'vue'
import { bound, day, inWeeks, percent, type RehearsalSheet, type Result } from './plan'
import WaitCurve from './WaitCurve.vue'
import WeekGrid from './WeekGrid.vue'
import { count, duration, hours } from '../../kit/format'

/** What came out of a rehearsal: whose waits change, what would never run, and how far to trust it. */
const props = defineProps<{ sheet: RehearsalSheet; result: Result; beside: RehearsalSheet[] }>()
const chosen = ref('')
const isChanged = computed(() => props.sheet.changes.length > 0)
const byEffect = computed(() => [...props.result.pipelines].sort((a, b) => Number(b.is_certain) - Number(a.is_certain) || Math.abs(b.change?.value ?? 0) - Math.abs(a.change?.value ?? 0)))
const one = computed(() => props.result.pipelines.find((row) => row.name === chosen.value) ?? (isChanged.value ? byEffect.value[0] : [...props.result.pipelines].sort((a, b) => (b.before.high?.value ?? 0) - (a.before.high?.value ?? 0))[0]))
const worse = computed(() => byEffect.value.filter((row) => row.is_certain && (row.change?.value ?? 0) > 0))
const better = computed(() => byEffect.value.filter((row) => row.is_certain && (row.change?.value ?? 0) < 0))
const others = computed(() => props.beside.map((sheet) => ({ name: sheet.name, waits: new Map((sheet.result?.pipelines ?? []).map((row) => [row.name, row.after])) })))
const effects = computed(() => props.result.effects ?? [])
const high = (waits: { high: { value: number; low: number; high: number } | null } | undefined) => (waits?.high ? bound(waits.high.value) : '–')
const trust = computed(() => props.result.calibration)
const never = computed(() => props.result.never.filter((row) => row.runs > row.today))
const neverToday = computed(() => props.result.never.filter((row) => row.runs <= row.today))
const notes = computed(() => [
  ...neverToday.value.map((row) => `${count(row.runs, 'job')} (${row.kind}) never ${row.runs === 1 ? 'runs' : 'run'} on today's hosts either.`),
  ...(props.result.cancelled ? [`${count(props.result.cancelled, 'job')} cancelled while waiting ${props.result.cancelled === 1 ? 'is' : 'are'} not played.`] : []),
  ...Object.entries(props.result.departed).slice(0, 5).map(([host, runs]) => `${host} has left; its ${count(runs, 'job')} run on other hosts.`),
  ...Object.entries(props.result.left_out).map(([why, number]) => `${count(number, 'job')} left out: ${why}.`),
  ...Object.entries(props.result.unreadable).map(([why, number]) => `${count(number, 'job')} left out, terms not understood: ${why}.`),
])
</script>

<template>
  <p class="soft">{{ day(sheet.since) }} to {{ day(sheet.until) }} played again: {{ result.runs.toLocaleString('en-GB') }} jobs on {{ count(result.hosts[1] ?? 0, 'host') }}, {{ count(result.slots[1] ?? 0, 'slot') }}<template v-if="isChanged"> (today {{ result.hosts[0] }} and {{ result.slots[0] }})</template>.</p>
  <p v-if="isChanged" class="verdict" data-part="verdict">
    <strong v-if="worse.length" class="trouble">{{ worse.map((row) => row.name).join(', ') }} {{ worse.length === 1 ? 'waits' : 'wait' }} longer.</strong>
    <strong v-else class="well">No pipeline waits longer.</strong>
    <template v-if="better.length">{{ ' ' }}{{ better.map((row) => row.name).join(', ') }} {{ better.length === 1 ? 'waits' : 'wait' }} less.</template>
    <template v-else-if="!worse.length">{{ ' ' }}None waits less either.</template>
  </p>
  <p v-for="row in never" :key="row.kind + row.why" class="trouble" data-part="never">{{ count(row.runs, 'job') }} of {{ row.pipelines.join(', ') }} would never run: <code>{{ row.kind }}</code>. {{ row.why }}</p>
  <p v-if="result.slept" data-part="slept">The hosts would have slept <strong>{{ hours(result.slept.hours) }}</strong> and woken {{ count(result.slept.wakes, 'time') }}<template v-if="result.slept.waited !== null">; jobs would have waited {{ duration(Math.max(0, result.slept.waited * 60)) }} longer in sum</template>.</p>
  <template v-if="one">
    <h3>Waits of {{ one.name }}</h3>
    <WaitCurve :before="one.before" :after="isChanged ? one.after : undefined" :name="one.name" :target="result.target" />
    <p data-part="sentence">{{ one.sentence }}<span v-if="one.after.high" class="soft"> ({{ duration(one.after.high.low) }} to {{ duration(one.after.high.high) }} in nine of ten drawings of the weeks)</span></p>
  </template>
  <table class="plain-table waits">
    <thead><tr><th>95 of 100 wait under</th><th class="number">jobs</th><th class="number">{{ isChanged ? 'today' : 'as played' }}</th><th v-if="isChanged" class="number">then</th><th v-for="rehearsal in beside" :key="rehearsal.id" class="number" :title="rehearsal.name">{{ rehearsal.name.length > 28 ? `${rehearsal.name.slice(0, 27)}…` : rehearsal.name }}</th></tr></thead>
    <tbody>
      <tr v-for="row in result.pipelines" :key="row.name" :data-pipeline="row.name" :class="{ here: row === one }">
        <td><button type="button" class="link" :aria-pressed="row === one" @click="chosen = row.name">{{ row.name }}</button></td>
        <td class="number soft">{{ row.after.runs.toLocaleString('en-GB') }}</td>
        <td class="number">{{ high(row.before) }}</td>
        <td v-if="isChanged" class="number" :class="row.is_certain ? ((row.change?.value ?? 0) > 0 ? 'trouble' : 'well') : ''">{{ high(row.after) }}<template v-if="!row.is_certain && row.change && row.change.value !== 0"> <span class="soft" title="The weeks themselves differ as much">≈</span></template></td>
        <td v-for="(rehearsal, at) in others" :key="at" class="number">{{ high(rehearsal.waits.get(row.name)) }}</td>
      </tr>
    </tbody>
  </table>
  <template v-if="effects.length">
    <h3>What each change does</h3>
    <ul class="effects" data-part="effects">
      <li v-for="effect in effects" :key="effect.sentence">
        <strong>{{ effect.sentence }}</strong>
        <template v-if="effect.why">: {{ effect.why }}</template>
        <template v-else-if="!effect.pipelines.length && effect.never <= 0">: no pipeline's waits surely change.</template>
        <ul v-else>
          <li v-for="row in effect.pipelines" :key="row.name" :class="row.change.value > 0 ? 'trouble' : 'well'">{{ row.sentence }}</li>
          <li v-if="effect.never > 0" class="trouble">{{ count(effect.never, 'job') }} would never run because of it.</li>
        </ul>
      </li>
    </ul>
    <p class="soft">Each is all changes together, against all but that one (“before”).</p>
  </template>
  <template v-if="result.sizing || result.growth">
    <h3>How many, and when</h3>
    <p v-if="result.sizing" data-part="sizing">
      <template v-if="result.sizing.count === 0">What is there keeps 95 of 100 jobs of {{ (result.for_pipelines ?? []).join(', ') }} under {{ duration(result.target ?? 0) }}.</template>
      <template v-else-if="result.sizing.count !== null"><strong>{{ count(result.sizing.count, 'more host') }} like {{ result.sizing.like }}</strong> keep 95 of 100 jobs under {{ duration(result.target ?? 0) }}.</template>
      <template v-else>No number of hosts like {{ result.sizing.like }} keeps the {{ duration(result.target ?? 0) }}. {{ result.sizing.why }}</template>
      <span class="soft"> Tried: {{ result.sizing.curve.map(([number, seconds]) => `${number} more: ${seconds === null || seconds === undefined ? 'some never run' : duration(seconds)}`).join('; ') }}.</span>
    </p>
    <p v-if="result.outgrown" data-part="outgrown">At {{ ((result.growth?.rate ?? 0) * 100).toFixed(1) }} % more work a week, the target breaks in about <strong>{{ inWeeks(result.outgrown.weeks) }}</strong>.</p>
  </template>
  <details v-if="result.busy[0]?.length">
    <summary>Busy slots by hour of the week</summary>
    <template v-for="(grid, at) in isChanged ? result.busy : result.busy.slice(0, 1)" :key="at"><h3>{{ at ? 'then' : 'today' }}</h3><WeekGrid :grid="grid" :label="at ? 'Then' : 'Today'" /></template>
  </details>
  <h3>How far to trust it</h3>
  <p data-part="trust">
    Played unchanged, the same weeks give waits of {{ high(trust.rehearsed) }}; recorded were {{ high(trust.recorded) }} (95 of 100).
    <span :class="trust.is_close ? 'well' : 'trouble'">{{ trust.is_close ? 'That is within 10 %, or within 5 s.' : trust.high_ratio ? `That is ${percent(trust.high_ratio)} of what was recorded: take differences, not the figures themselves.` : 'There are too few jobs to compare.' }}</span>
    <span class="soft"> Retries are played as they were; people may act otherwise with other waits.</span>
  </p>
  <ul v-if="notes.length" class="soft"><li v-for="note in notes" :key="note">{{ note }}</li></ul>
</template>

<style scoped>
h3 {
  margin: 14px 0 4px;
  font-size: 14px;
}

.verdict {
  margin: 8px 0;
  font-size: 15px;
}

.waits {
  width: 100%;
  margin-top: 10px;
}

.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}

.link {
  padding: 0;
  border: 0;
  background: none;
  color: var(--water);
  text-decoration: underline;
  cursor: pointer;
}

tr.here td:first-child {
  border-left: 4px solid var(--yellow);
  padding-left: 8px;
}
</style>
