<script setup lang="ts">
import { Button, Input, InputNumber } from 'ant-design-vue'
import { computed, ref, toRef } from 'vue'
import { bound, day, headline, percent, toKnow, useFor, useRehearsal, useRehearsals, type Outlook, type Stretch } from './plan'
import { answered, api } from '../../api/client'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import BreakEven from './BreakEven.vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import CopyText from '../../kit/CopyText.vue'
import WeekGrid from './WeekGrid.vue'
import { count, money } from '../../kit/format'
import { useYard } from '../yard/yard'

/** One page for the person who pays: how busy, who waits, what is thin, what it costs, and what to do. */
const props = defineProps<{ stretch: Stretch; outlook: Outlook | null }>()
const emit = defineEmits<{ saved: [] }>()
const session = useSession()
const yard = useYard()
const stretch = toRef(props, 'stretch')
const { shown: use, trouble } = useFor(stretch, (query) => answered(api.GET('/api/v1/plan/use/', { params: { query } })))
const { shown: kinds } = useFor(stretch, (query) => answered(api.GET('/api/v1/plan/kinds/', { params: { query } })))
const { shown: costs, again } = useFor(stretch, (query) => answered(api.GET('/api/v1/plan/costs/', { params: { query } })))
const { list } = useRehearsals()
const proposal = ref(Number(new URLSearchParams(location.search).get('rehearsal')) || 0)
const { sheet } = useRehearsal(computed(() => proposal.value || undefined))
const proposals = computed(() => [{ value: 0, label: 'no proposal' }, ...list.value.filter((one) => one.state === 'done' && one.changes.length).map((one) => ({ value: one.id, label: one.name }))])
const target = computed(() => props.outlook?.settings.target ?? 900)
const answer = computed(() => headline(props.outlook))
const currency = computed(() => costs.value?.settings.currency ?? '')
const thin = computed(() => (kinds.value?.kinds ?? []).filter((kind) => kind.runs_per_week >= 1 && toKnow(kind, target.value).length))
const waits = computed(() => [...(kinds.value?.kinds ?? [])].filter((kind) => kind.runs >= 20).sort((a, b) => b.high_wait - a.high_wait).slice(0, 6))
const link = computed(() => {
  const query = new URLSearchParams({ ...(use.value ? { since: use.value.since, until: use.value.until } : {}), ...(props.stretch.paddock ? { paddock: props.stretch.paddock } : {}), ...(proposal.value ? { rehearsal: String(proposal.value) } : {}) })
  return `${location.origin}${location.pathname}?${query.toString()}`
})
const proposedHosts = computed(() => {
  const [before = 0, after = 0] = sheet.value?.result?.hosts ?? []
  return after - before
})
const meanHost = computed(() => {
  const known = (costs.value?.hosts ?? []).filter((one) => one.month !== null)
  return known.length ? (costs.value?.month ?? 0) / known.length : null
})

const { isBusy, trouble: saveTrouble, perform } = useAction()
const about = ref('')
const isRented = ref('own')
const price = ref(0)
const years = ref(4)
const watts = ref(0)
const room = ref(0)
const perHour = ref(0)
const settings = ref({ currency: '', energy_price: 0, rented_per_hour: 0, rented_per_start: 0, minutes: 15 })
const subjects = computed(() => [
  { value: '', label: 'choose…' },
  ...[...new Set(yard.plates.map((one) => one.paddock))].sort().map((name) => ({ value: `paddock ${name}`, label: `each host of ${name}` })),
  ...yard.plates.filter((one) => one.standing === 'admitted').map((one) => ({ value: `host ${one.name}`, label: one.name })),
])

function openCosts(): void {
  const found = costs.value?.settings
  if (found) settings.value = { currency: found.currency ?? '', energy_price: found.energy_price ?? 0, rented_per_hour: found.rented_per_hour ?? 0, rented_per_start: found.rented_per_start ?? 0, minutes: target.value / 60 }
}

function saveCost(): Promise<void> {
  return perform(async () => {
    const [kind, ...rest] = about.value.split(' ')
    const name = rest.join(' ')
    if (!name) throw new Error('Choose a host or a paddock.')
    await answered(api.POST('/api/v1/plan/costs/', { body: { host: kind === 'host' ? name : '', paddock: kind === 'paddock' ? name : '', is_rented: isRented.value === 'rented', price: price.value, years: years.value, watts: watts.value, room: room.value, per_hour: perHour.value } }))
    await again()
  })
}

function saveSettings(): Promise<void> {
  return perform(async () => {
    const { minutes, ...prices } = settings.value
    await answered(api.PUT('/api/v1/plan/settings/', { body: { ...prices, target: Math.max(1, Math.round(minutes * 60)) } }))
    await again()
    emit('saved')
  })
}

function remove(id: number): Promise<void> {
  return perform(async () => {
    await answered(api.DELETE('/api/v1/plan/costs/{id}/', { params: { path: { id } } }))
    await again()
  })
}

const print = () => window.print()
</script>

<template>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  <div class="row tools">
    <label class="row">Proposal <ChoiceField v-model:value="proposal" class="small" :options="proposals" data-field="proposal" /></label>
    <CopyText :text="link" /> <span class="soft">link for people who may see this plan</span>
    <Button data-act="print" @click="print">Print or save as PDF</Button>
  </div>
  <article v-if="use" class="report" data-part="report">
    <h2>Build machines, {{ day(use.since) }} to {{ day(use.until) }}</h2>
    <p v-if="answer" class="lead">{{ answer.growth }}<template v-if="answer.breaks">. {{ answer.breaks }} {{ answer.between }}. {{ answer.remedy }}</template><template v-else>{{ answer.between }}</template></p>
    <h3>How busy</h3>
    <p>{{ use.runs.toLocaleString('en-GB') }} jobs used {{ Math.round(use.slot_hours).toLocaleString('en-GB') }} slot-hours: {{ percent(use.busy_share) }} of {{ count(use.slots, 'slot') }} all week round, {{ percent(use.working_share) }} on working days between 8 and 18.</p>
    <WeekGrid :grid="use.week" label="Share of busy slots by hour of the week" />
    <h3>Who waits</h3>
    <table class="plain-table">
      <thead><tr><th>Kind of work</th><th class="number">jobs a week</th><th class="number">half wait under</th><th class="number">95 of 100 wait under</th></tr></thead>
      <tbody><tr v-for="kind in waits" :key="kind.name"><td>{{ kind.name }}</td><td class="number">{{ Math.round(kind.runs_per_week) }}</td><td class="number">{{ bound(kind.median_wait) }}</td><td class="number" :class="{ trouble: kind.high_wait > target }">{{ bound(kind.high_wait) }}</td></tr></tbody>
    </table>
    <template v-if="thin.length">
      <h3>Where cover is thin</h3>
      <ul><li v-for="kind in thin" :key="kind.name">{{ kind.name }} ({{ kind.pipelines.join(', ') }}): {{ toKnow(kind, target).join('; ') }}</li></ul>
    </template>
    <h3>What it costs</h3>
    <template v-if="costs && costs.hosts.length > costs.unknown">
      <p data-part="cost"><strong>{{ money(costs.month, currency) }} a month</strong> for {{ count(costs.hosts.length - costs.unknown, 'host') }}<template v-if="costs.unknown">; the cost of {{ count(costs.unknown, 'other host') }} was not entered</template>. A slot-hour costs {{ money(costs.slot_hour.used, currency) }} where it works, {{ money(costs.slot_hour.offered, currency) }} over all.<template v-if="costs.rented_month !== null"> The same slot-hours on rented machines: {{ money(costs.rented_month, currency) }} a month.</template></p>
      <BreakEven v-if="costs.break_even.length" :points="costs.break_even" :hours="costs.break_even_hours" :currency="currency" />
    </template>
    <p v-else class="soft">No cost was entered, so none is shown.</p>
    <template v-if="sheet?.result">
      <h3>Proposal: {{ sheet.name }}</h3>
      <p>{{ sheet.sentences.join('; ') }}.<template v-if="proposedHosts && meanHost !== null"> At the mean cost of a host, that is {{ money(Math.abs(proposedHosts) * meanHost, currency) }} {{ proposedHosts > 0 ? 'more' : 'less' }} a month.</template></p>
      <ul><li v-for="row in sheet.result.pipelines.filter((one) => one.is_certain)" :key="row.name">{{ row.sentence }}</li></ul>
      <p v-if="!sheet.result.pipelines.some((one) => one.is_certain)">No pipeline's waits surely change.</p>
      <p class="soft">Rehearsed on {{ sheet.result.runs.toLocaleString('en-GB') }} recorded jobs; {{ sheet.result.calibration.is_close ? 'the unchanged play is within 10 % of the recorded waits' : 'the unchanged play differs from the recorded waits by more than 10 %' }}.</p>
    </template>
  </article>
  <details v-if="session.may('administrator')" class="costs" @toggle="openCosts">
    <summary>Costs and target</summary>
    <div class="forms">
      <form @submit.prevent="saveCost">
        <h3>Cost of a host</h3>
        <label class="field">For<ChoiceField v-model:value="about" :options="subjects" data-field="about" /></label>
        <label class="field">It is<ChoiceField v-model:value="isRented" :options="[{ value: 'own', label: 'owned' }, { value: 'rented', label: 'rented' }]" /></label>
        <template v-if="isRented === 'own'">
          <label class="field">Bought for<InputNumber v-model:value="price" :min="0" data-field="price" /></label>
          <label class="field">Used for years<InputNumber v-model:value="years" :min="0.1" :max="50" /></label>
          <label class="field">Watts on average<InputNumber v-model:value="watts" :min="0" /></label>
          <label class="field">Room and care a month<InputNumber v-model:value="room" :min="0" /></label>
        </template>
        <label v-else class="field">Price an hour<InputNumber v-model:value="perHour" :min="0" :step="0.1" /></label>
        <Button html-type="submit" :loading="isBusy" data-act="save-cost">Save the cost</Button>
        <ul class="entered"><li v-for="one in costs?.entered ?? []" :key="one.id">{{ one.host || `each host of ${one.paddock}` }}: {{ one.is_rented ? `${money(one.per_hour, currency)} an hour` : `${money(one.price, currency)} over ${one.years} years` }} <Button size="small" @click="remove(one.id)">Remove</Button></li></ul>
      </form>
      <form @submit.prevent="saveSettings">
        <h3>Target and prices</h3>
        <label class="field">Minutes that 95 of 100 jobs may wait<InputNumber v-model:value="settings.minutes" :min="1" /></label>
        <label class="field">Currency<Input v-model:value="settings.currency" :maxlength="10" /></label>
        <label class="field">Energy, per kWh<InputNumber v-model:value="settings.energy_price" :min="0" :step="0.01" /></label>
        <label class="field">A rented machine, per hour<InputNumber v-model:value="settings.rented_per_hour" :min="0" :step="0.01" /></label>
        <label class="field">Each start of it<InputNumber v-model:value="settings.rented_per_start" :min="0" :step="0.01" /></label>
        <Button html-type="submit" :loading="isBusy" data-act="save-settings">Save</Button>
      </form>
    </div>
    <p v-if="saveTrouble" class="trouble" role="alert">{{ saveTrouble }}</p>
  </details>
</template>

<style scoped>
.report {
  max-width: 860px;
  padding: 18px 24px;
  border: 1px solid var(--fence);
  background: var(--plate);
}

.lead {
  margin-top: 6px;
  font-size: 15px;
}

h3 {
  margin: 18px 0 4px;
  font-size: 14px;
}

.number {
  text-align: right;
}

.tools {
  margin-bottom: 10px;
}

.costs {
  margin-top: 16px;
}

.forms {
  display: flex;
  gap: 40px;
  flex-wrap: wrap;
}

form {
  display: flex;
  flex-direction: column;
  gap: 8px;
  width: 320px;
}

.field {
  display: flex;
  flex-direction: column;
}

.entered {
  margin: 0;
  padding-left: 18px;
}

@media print {
  .tools,
  .costs {
    display: none;
  }

  .report {
    border: 0;
    padding: 0;
  }
}
</style>
