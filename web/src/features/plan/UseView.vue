<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import { bound, fullHours, percent, useFor, type Stretch } from './plan'
import { answered, api } from '../../api/client'
import { serverAddress } from '../../api/address'
import ChoiceField from '../../kit/ChoiceField.vue'
import WaitsOverTime from './WaitsOverTime.vue'
import WeekGrid from './WeekGrid.vue'
import { count, duration } from '../../kit/format'

/** How busy are the machines, who uses them, and who waits? */
const props = defineProps<{ stretch: Stretch; target: number }>()
const { shown, trouble, isBusy } = useFor(toRef(props, 'stretch'), (query) => answered(api.GET('/api/v1/plan/use/', { params: { query } })))
const BY = [
  { value: 'pipeline', label: 'pipeline' }, { value: 'host', label: 'host' }, { value: 'paddock', label: 'paddock' },
  { value: 'system', label: 'system' }, { value: 'person', label: 'person' }, { value: 'ask', label: 'kind of work' },
] as const
const by = ref<(typeof BY)[number]['value']>('pipeline')
const shares = computed(() => shown.value?.shares[by.value] ?? [])
const most = computed(() => Math.max(1, ...shares.value.map((one) => one.slot_hours)))
const full = computed(() => fullHours(shown.value?.week ?? []))
const file = computed(() => `${serverAddress}/api/v1/plan/use.csv?${new URLSearchParams({ ...props.stretch, by: by.value } as Record<string, string>)}`)
const leftOut = computed(() => Object.entries(shown.value?.left_out ?? {}).map(([why, number]) => `${number} left out: ${why}`))
</script>

<template>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  <p v-else-if="!shown" class="soft">{{ isBusy ? 'Counting…' : '' }}</p>
  <template v-else>
    <p v-if="!shown.runs" class="soft">No job ended in this time.</p>
    <template v-else>
      <p data-part="use">
        {{ shown.runs.toLocaleString('en-GB') }} jobs kept {{ count(shown.slots, 'slot') }} busy for <strong>{{ percent(shown.busy_share) }}</strong> of the time and <strong>{{ percent(shown.working_share) }}</strong> of working hours<template v-if="full">, {{ full }}</template>.
        Half of them waited under {{ bound(shown.median_wait ?? 0) }}, 95 of 100 under <strong :class="{ trouble: (shown.high_wait ?? 0) > target }">{{ bound(shown.high_wait ?? 0) }}</strong>, the longest {{ duration(shown.longest_wait ?? 0) }}; at most {{ shown.longest_queue }} waited at once.
      </p>
      <p v-for="line in leftOut" :key="line" class="soft">{{ line }}</p>
      <div class="two">
        <section>
          <h2>When slots are busy <span class="soft">share of slots by hour of the week</span></h2>
          <WeekGrid :grid="shown.week" label="Share of busy slots by hour of the week" />
          <h2>Waits <span class="soft">solid: half of the jobs, pale: 95 of 100; the line is the target of {{ duration(target) }}</span></h2>
          <WaitsOverTime :use="shown" :target="target" />
        </section>
        <section>
          <div class="row">
            <h2 class="grow">Slot-hours by</h2>
            <ChoiceField v-model:value="by" class="small" :options="BY" label="Slot-hours by" />
            <a :href="file" download data-act="csv">CSV</a>
          </div>
          <table class="plain-table shares">
            <thead><tr><th>{{ BY.find((one) => one.value === by)?.label }}</th><th></th><th class="number">h</th><th class="number">jobs</th></tr></thead>
            <tbody>
              <tr v-for="one in shares.slice(0, 16)" :key="one.name" :data-share="one.name">
                <td class="name"><RouterLink v-if="by === 'host'" :to="{ name: 'host', params: { name: one.name } }">{{ one.name }}</RouterLink><template v-else>{{ one.name }}</template></td>
                <td class="track"><i :style="{ width: `${(100 * one.slot_hours) / most}%` }"></i></td>
                <td class="number">{{ Math.round(one.slot_hours).toLocaleString('en-GB') }}</td>
                <td class="number soft">{{ one.runs.toLocaleString('en-GB') }}</td>
              </tr>
            </tbody>
          </table>
          <p v-if="shares.length > 16" class="soft">{{ shares.length - 16 }} more are in the file.</p>
        </section>
      </div>
    </template>
  </template>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(300px, 2fr);
  gap: 32px;
}

h2 {
  margin: 16px 0 8px;
}

h2 .soft {
  font-weight: 400;
}

.shares {
  width: 100%;
}

.name {
  max-width: 200px;
  overflow-wrap: anywhere;
}

.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}

.track {
  width: 30%;
}

.track i {
  display: block;
  height: 10px;
  background: var(--yellow-deep);
}

@media (width < 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
