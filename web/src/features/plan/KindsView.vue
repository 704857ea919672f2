<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import { bound, toKnow, useFor, type KindOfWork, type Outlook, type Stretch } from './plan'
import { answered, api } from '../../api/client'
import GrowthBars from './GrowthBars.vue'
import LengthStrip from './LengthStrip.vue'
import WeekGrid from './WeekGrid.vue'
import { count, duration } from '../../kit/format'

/** Which work has thin cover, which grows, and what stops if a machine fails? */
const props = defineProps<{ stretch: Stretch; target: number; outlook: Outlook | null }>()
const { shown, trouble, isBusy } = useFor(toRef(props, 'stretch'), (query) => answered(api.GET('/api/v1/plan/kinds/', { params: { query } })))
const MARKS = 6
const longest = computed(() => Math.max(60, ...kinds.value.map((kind) => kind.lengths[4] ?? 0)))
const kinds = computed(() => shown.value?.kinds ?? [])
const common = computed(() => kinds.value.filter((kind) => kind.runs_per_week >= 1))
const rare = computed(() => kinds.value.filter((kind) => kind.runs_per_week < 1))
const showsRare = ref(false)
const rows = computed(() => (showsRare.value || !common.value.length ? kinds.value : common.value))
const chosen = ref('')
const one = computed<KindOfWork | undefined>(() => kinds.value.find((kind) => kind.name === chosen.value) ?? [...kinds.value].sort((a, b) => rate(b) - rate(a))[0])
const busiest = computed(() => {
  const most = Math.max(0, ...(one.value?.arrivals ?? []).flatMap((day) => day.map((part) => part ?? 0)))
  return most < 10 ? most.toFixed(1) : Math.round(most)
})
const rate = (kind: KindOfWork) => (kind.growth?.is_certain ? kind.growth.rate * kind.slot_hours_per_week : 0)
const outlookKind = computed(() => props.outlook?.rehearsal?.name.split(': ').slice(1).join(': ') ?? '')
const breaks = computed(() => (one.value && outlookKind.value === one.value.name ? props.outlook?.rehearsal?.result?.outgrown : null))
const alone = computed(() => (shown.value?.failures ?? []).filter((failure) => failure.hosts.length === 1))
const pairs = computed(() => (shown.value?.failures ?? []).filter((failure) => failure.hosts.length === 2))
</script>

<template>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  <p v-else-if="!shown" class="soft">{{ isBusy ? 'Counting…' : '' }}</p>
  <p v-else-if="!kinds.length" class="soft">No job ended in this time.</p>
  <template v-else>
    <table class="plain-table kinds">
      <thead><tr><th>Kind of work</th><th class="number">Jobs a week</th><th class="number">Half take</th><th class="number">95 of 100 wait under</th><th>Hosts that fit · if one fails</th><th>Good to know</th></tr></thead>
      <tbody>
        <tr v-for="kind in rows" :key="kind.name + kind.pipelines.join()" :data-kind="kind.name" :class="{ here: kind === one }">
          <td><button class="link machine" type="button" :aria-pressed="kind === one" @click="chosen = kind.name">{{ kind.name }}</button><div class="soft">{{ kind.pipelines.slice(0, 3).join(', ') }}<template v-if="kind.pipelines.length > 3"> and {{ kind.pipelines.length - 3 }} more</template></div></td>
          <td class="number">{{ kind.runs_per_week < 1 ? '<1' : Math.round(kind.runs_per_week).toLocaleString('en-GB') }}</td>
          <td class="number">{{ kind.lengths.length ? duration(kind.lengths[2] ?? 0) : '–' }}<LengthStrip v-if="kind.lengths.length" :lengths="kind.lengths" :longest="longest" /></td>
          <td class="number" :class="{ trouble: kind.high_wait > target }">{{ bound(kind.high_wait) }}</td>
          <td class="cover"><span class="marks" role="img" :aria-label="`${count(kind.hosts.length, 'host')} fit`" :title="kind.hosts.slice(0, 12).join(', ')"><i v-for="n in Math.min(MARKS, kind.hosts.length)" :key="n"></i></span>{{ kind.hosts.length }} · {{ Math.max(0, kind.hosts.length - 1) }}</td>
          <td class="know"><span v-for="line in toKnow(kind, target)" :key="line" class="trouble">{{ line }}</span><span v-if="kind.thicken" class="soft thicken">One more: {{ kind.thicken }}</span></td>
        </tr>
      </tbody>
    </table>
    <p v-if="rare.length && common.length"><button type="button" class="link more" data-act="rare" @click="showsRare = !showsRare">{{ showsRare ? 'Hide' : 'Show' }} {{ count(rare.length, 'kind') }} with less than one job a week</button></p>
    <template v-if="one?.growth">
      <h2>Slot-hours a week <span class="soft">{{ one.name }}; dashed: the trend with its interval</span></h2>
      <GrowthBars :growth="one.growth" :name="one.name" :carries="breaks ? one.growth.level * breaks.factor : undefined" :breaks-in="breaks?.weeks" />
    </template>
    <p v-else-if="one" class="soft">{{ one.name }} has less than four whole weeks of work: too few for a trend.</p>
    <template v-if="one">
      <h2>When it comes <span class="soft">{{ one.name }}: jobs an hour; the tallest bar is {{ busiest }}</span></h2>
      <WeekGrid :grid="one.arrivals" counts="jobs" :label="`Jobs an hour of ${one.name}`" />
    </template>
    <template v-if="alone.length || pairs.length">
      <h2>If hosts fail</h2>
      <ul class="failures">
        <li v-for="failure in [...alone, ...pairs].slice(0, 12)" :key="failure.hosts.join()" :data-failure="failure.hosts.join('+')">
          <template v-for="(host, at) in failure.hosts" :key="host"><template v-if="at"> and </template><RouterLink :to="{ name: 'host', params: { name: host } }">{{ host }}</RouterLink></template>:
          <strong>{{ failure.pipelines.slice(0, 4).join(', ') }}</strong> {{ failure.pipelines.length === 1 ? 'stops' : 'stop' }} <span class="soft">at {{ failure.kinds.slice(0, 3).join('; ') }}</span>
        </li>
      </ul>
    </template>
    <p class="soft"><RouterLink :to="{ name: 'plan', params: { view: 'rehearsals' } }">Rehearse</RouterLink> a change to see whose waits it would change.</p>
  </template>
</template>

<style scoped>
.kinds {
  width: 100%;
}

.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}

.here td:first-child {
  border-left: 4px solid var(--yellow);
  padding-left: 8px;
}

.link {
  padding: 0;
  border: 0;
  background: none;
  color: var(--ink);
  text-align: left;
  cursor: pointer;
}

.more {
  margin-top: 8px;
  color: var(--water);
  text-decoration: underline;
}

.cover {
  white-space: nowrap;
}

.marks i {
  display: inline-block;
  width: 11px;
  height: 11px;
  margin-right: 3px;
  border: 1.5px solid var(--ink);
  border-radius: 3px;
}

.know span {
  display: block;
}

h2 {
  margin: 20px 0 6px;
}

h2 .soft {
  font-weight: 400;
}

.failures {
  margin: 0 0 12px;
  padding-left: 18px;
}
</style>
