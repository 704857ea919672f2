<script setup lang="ts">
import { Button, Input, InputNumber } from 'ant-design-vue'
import { computed, reactive, ref } from 'vue'
import { energy, MODES, modeLabel, savedOf, WAKERS, type Policy, type Standby } from './standby'
import { allRows, answered, api } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useYard } from '../yard/yard'
import { useAction } from '../../kit/useAction'
import ChoiceField from '../../kit/ChoiceField.vue'
import LabelsField from '../../kit/LabelsField.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count, duration, hours, money } from '../../kit/format'

/** Which machines sleep, what does that save, and who waits for it? */
const session = useSession()
const yard = useYard()
if (!yard.plates.length) void yard.load()
const shown = ref<Standby | null>(null)
const policies = ref<Policy[]>([])
const loadTrouble = ref('')
const { isBusy, trouble, perform } = useAction()

async function load(): Promise<void> {
  try {
    ;[shown.value, policies.value] = await Promise.all([answered(api.GET('/api/v1/standby/')), allRows((query) => api.GET('/api/v1/standby-policies/', { params: { query } }))])
    loadTrouble.value = ''
  } catch (error) {
    loadTrouble.value = (error as Error).message
  }
}
const soon = gathered(load)
onNote((note) => {
  if (['host', 'standby policy', 'everything'].includes(note.noun)) soon()
})
void load()

const asleep = computed(() => (shown.value?.sleepers ?? []).filter((one) => one.power === 'asleep').length)
const longest = computed(() => Math.max(1e-9, ...(shown.value?.months ?? []).map((one) => one.saved.asleep_hours)))
const total = computed(() => (shown.value?.months ?? []).at(-1)?.saved)
const places = computed(() => [
  { value: '', label: 'choose…' },
  ...[...new Set(yard.plates.map((one) => one.paddock))].filter((name) => session.may('administrator', name)).sort().map((value) => ({ value, label: `all of ${value}` })),
  ...yard.plates.filter((one) => one.standing === 'admitted' && session.may('administrator', one.paddock)).map((one) => ({ value: one.name, label: one.name })),
])
const mayChange = computed(() => places.value.length > 1)
const wanted = reactive({ place: '', mode: 'when jobs wait' as Policy['mode'], idle: 30, up: 60, begins: '00:00', ends: '00:00', terms: [] as string[], awake: 0, free: 0, wakers: 'operator' as NonNullable<Policy['wakers']> })
const isPaddock = computed(() => yard.plates.some((one) => one.paddock === wanted.place))

function save(): Promise<void> {
  return perform(async () => {
    if (!wanted.place) throw new Error('Choose a paddock or a host.')
    const keeps = isPaddock.value ? { terms: wanted.terms, keep_awake: wanted.awake, keep_free: wanted.free } : {}
    await answered(api.POST('/api/v1/standby-policies/', { body: { place: wanted.place, mode: wanted.mode, wakers: wanted.wakers, idle_seconds: wanted.idle * 60, up_seconds: wanted.up * 60, begins: wanted.begins, ends: wanted.ends, zone: Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC', ...keeps } }))
    wanted.place = ''
    await load()
  })
}
function remove(id: number): Promise<void> {
  return perform(async () => {
    await answered(api.DELETE('/api/v1/standby-policies/{id}/', { params: { path: { id } } }))
    await load()
  })
}
const when = (policy: Policy): string => (policy.begins === policy.ends ? '' : `, between ${policy.begins?.slice(0, 5)} and ${policy.ends?.slice(0, 5)} ${policy.zone}`)
/** Those that the person may wake; the others are not asked for. */
function survey(): Promise<void> {
  return perform(async () => {
    const hosts = (shown.value?.sleepers ?? []).filter((one) => one.power === 'asleep' && session.may('operator', one.paddock)).map((one) => one.host)
    if (!hosts.length) throw new Error('You may wake none of these hosts.')
    await answered(api.POST('/api/v1/standby/wake/', { body: { hosts } }))
    await load()
  })
}
const keeps = (policy: Policy): string => [policy.keep_awake ? `${policy.keep_awake} stay on` : '', policy.keep_free ? `${policy.keep_free} stay free` : ''].filter(Boolean).join(', ')
</script>

<template>
  <div class="screen">
    <div class="row head">
      <h1>Standby</h1>
      <p v-if="shown" class="sentence" data-part="headline">
        <template v-if="!shown.sleepers.length">No host sleeps. <span class="soft">Give a paddock a policy below; then allow it on the sheet of each host.</span></template>
        <template v-else>{{ asleep }} of {{ count(shown.sleepers.length, 'host') }} that may sleep {{ asleep === 1 ? 'is' : 'are' }} asleep.<template v-if="total"> This month they slept <strong>{{ hours(total.asleep_hours) }}</strong><template v-if="total.kilowatt_hours !== null"> and saved <strong>{{ energy(total.kilowatt_hours) }}</strong></template><template v-if="total.money !== null">, <strong>{{ money(total.money, shown.currency) }}</strong></template>; jobs waited {{ duration(total.waited_minutes * 60) }} for {{ count(total.wakes + total.failed, 'wake') }}<template v-if="total.failed">, {{ total.failed }} of which failed</template>.</template></template>
      </p>
    </div>
    <p v-if="loadTrouble" class="trouble" role="alert">{{ loadTrouble }}</p>
    <p v-for="(missing, place) in shown?.short" :key="place" class="trouble" data-part="short">{{ place }} should keep more hosts awake than there are: {{ count(missing, 'host') }} {{ missing === 1 ? 'is' : 'are' }} missing.</p>
    <template v-if="shown?.sleepers.length">
      <p v-if="asleep" class="row"><Button size="small" :loading="isBusy" data-act="wake-for-survey" @click="survey">Wake all to survey them</Button><span class="soft">They sleep again afterwards. Chores and rollouts wake their hosts themselves.</span></p>
      <table class="plain-table sleepers">
        <thead><tr><th>Host</th><th>Now</th><th>Policy</th><th class="number">asleep in 30 days</th><th class="number">saved</th><th class="number">jobs waited</th><th class="number">a wake takes</th></tr></thead>
        <tbody>
          <tr v-for="one in shown.sleepers" :key="one.host" :data-sleeper="one.host">
            <td><RouterLink :to="{ name: 'host', params: { name: one.host } }">{{ one.host }}</RouterLink> <span class="soft">{{ one.paddock }}</span></td>
            <td :class="{ trouble: one.power === 'does not wake' }">{{ one.power }}<span v-if="one.power_since" class="soft">, <TimeAgo :at="one.power_since" /></span></td>
            <td class="soft">{{ modeLabel(one.mode) }}</td>
            <td class="number">{{ hours(one.saved.asleep_hours) }}</td>
            <td class="number">{{ savedOf(one.saved, shown.currency) }}</td>
            <td class="number">{{ one.saved.waited_minutes ? duration(one.saved.waited_minutes * 60) : '–' }}</td>
            <td class="number">{{ duration(one.wake_seconds) }}</td>
          </tr>
        </tbody>
      </table>
      <template v-if="shown.months.length">
        <h2>By month</h2>
        <ul class="months">
          <li v-for="one in shown.months" :key="one.month"><span>{{ one.month }}</span><i :style="{ width: `${(100 * one.saved.asleep_hours) / longest}%` }"></i><span class="soft">{{ hours(one.saved.asleep_hours) }} asleep, {{ savedOf(one.saved, shown.currency) }}, {{ count(one.saved.wakes, 'wake') }}, jobs waited {{ duration(one.saved.waited_minutes * 60) }}</span></li>
        </ul>
      </template>
    </template>
    <h2>Policies</h2>
    <ul v-if="policies.length" class="policies" aria-label="Policies">
      <li v-for="one in policies" :key="one.id" :data-policy="one.host || one.paddock">
        <strong>{{ one.host || one.paddock }}</strong> {{ modeLabel(one.mode) }}<template v-if="one.mode === 'when jobs wait'">: powers down after {{ duration(one.idle_seconds ?? 0) }} idle, not before it was on for {{ duration(one.up_seconds ?? 0) }}{{ when(one) }}<template v-if="keeps(one)">; of those with {{ one.terms?.length ? one.terms.join(', ') : 'any terms' }} {{ keeps(one) }}</template></template>; {{ WAKERS.find((who) => who.value === one.wakers)?.label }} may wake {{ one.host ? 'it' : 'them' }}.
        <Button v-if="session.may('administrator', one.paddock)" size="small" @click="remove(one.id)">Remove</Button>
      </li>
    </ul>
    <p v-else class="soft">None yet: no host sleeps.</p>
    <form v-if="mayChange" class="form" aria-label="New policy" @submit.prevent="save">
      <label class="field">For<ChoiceField v-model:value="wanted.place" :options="places" data-field="place" /></label>
      <label class="field">It<ChoiceField v-model:value="wanted.mode" :options="MODES" data-field="mode" /></label>
      <label class="field">Who may wake it<ChoiceField v-model:value="wanted.wakers" :options="WAKERS" data-field="wakers" /></label>
      <template v-if="wanted.mode === 'when jobs wait'">
        <label class="field">Minutes idle before it goes down<InputNumber v-model:value="wanted.idle" :min="1" :max="43200" data-field="idle" /></label>
        <label class="field">Minutes on at least<InputNumber v-model:value="wanted.up" :min="60" :max="43200" /></label>
        <label class="field">Powers down only from<Input v-model:value="wanted.begins" :maxlength="5" placeholder="22:00" /></label>
        <label class="field">until (the same: at any time)<Input v-model:value="wanted.ends" :maxlength="5" placeholder="06:00" /></label>
        <template v-if="isPaddock">
          <label class="field">Of the hosts with<LabelsField v-model="wanted.terms" name="Terms" placeholder="all hosts" data-field="terms" /></label>
          <label class="field">stay on<InputNumber v-model:value="wanted.awake" :min="0" :max="5000" data-field="awake" /></label>
          <label class="field">and stay free<InputNumber v-model:value="wanted.free" :min="0" :max="5000" /></label>
        </template>
      </template>
      <Button html-type="submit" type="primary" :loading="isBusy" data-act="save-policy">Save the policy</Button>
      <p class="soft">{{ MODES.find((one) => one.value === wanted.mode)?.help }}</p>
    </form>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.sentence {
  flex: 1;
  font-size: 15px;
}

.sleepers {
  width: 100%;
}

.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}

h2 {
  margin: 20px 0 6px;
}

.months,
.policies {
  margin: 0 0 12px;
  padding: 0;
  list-style: none;
}

.months li {
  display: grid;
  grid-template-columns: 70px 240px 1fr;
  gap: 10px;
  align-items: center;
  margin-bottom: 4px;
}

.months i {
  height: 14px;
  background: var(--slate);
}

.policies li {
  margin-bottom: 6px;
}

.form {
  display: flex;
  flex-wrap: wrap;
  align-items: flex-end;
  gap: 8px 16px;
  margin-top: 10px;
  padding: 12px 14px;
  border: 2px solid var(--fence);
  background: var(--paper-deep);
}

.field {
  display: flex;
  flex-direction: column;
  gap: 2px;
  width: 230px;
}
</style>
