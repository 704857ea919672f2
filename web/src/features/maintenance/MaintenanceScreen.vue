<script setup lang="ts">
import { Button, Input, InputNumber, Popconfirm, Select } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { allRows, answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useYard } from '../yard/yard'
import CopyText from '../../kit/CopyText.vue'
import { useAction } from '../../kit/useAction'
import { count, duration } from '../../kit/format'
import { dayOf, exactly, momentAt, shortDay, startOfDay, weekday, zoneName } from '../../kit/moments'

/** Which hosts will be away, when, and why? Four weeks on one axis of time. */
const DAYS = 28
const DAY = 24 * 3600 * 1000
const session = useSession()
const yard = useYard()
if (!yard.plates.length) void yard.load()
const times = ref<Schemas['MaintenanceTime'][]>([])
const plans = ref<Schemas['MaintenanceWindow'][]>([])
const feed = ref<Schemas['CalendarAddress'] | null>(null)
const { trouble, perform } = useAction()
const planning = useAction()
const result = ref('')
const zone = zoneName()

async function load(): Promise<void> {
  const [found, listed, address] = await Promise.all([
    allRows((query) => api.GET('/api/v1/maintenance-times/', { params: { query: { ...query, days: DAYS } } })),
    allRows((query) => api.GET('/api/v1/maintenance-windows/', { params: { query } })),
    answered(api.GET('/api/v1/maintenance-feed/')),
  ])
  times.value = found
  // The address is sent once; keep it on the screen.
  if (!feed.value?.url) feed.value = address
  plans.value = listed
}
const loadSoon = gathered(load)
void perform(load)
onNote((note) => {
  if (note.noun === 'maintenance window' || note.noun === 'host' || note.noun === 'everything') loadSoon()
})

const start = startOfDay(Date.now())
/** Noon of each day names it, whatever a change of the clock does to its midnight. */
const days = Array.from({ length: DAYS }, (_, at) => start.getTime() + (at + 0.5) * DAY)
const isMonday = (day: number) => weekday(day).startsWith('Mon')
const isRest = (day: number) => /^S/.test(weekday(day))
const left = (moment: string) => Math.max(0, ((Date.parse(moment) - start.getTime()) / (DAYS * DAY)) * 100)
const rails = computed(() => {
  const byPlace = new Map<string, Schemas['MaintenanceTime'][]>()
  for (const one of times.value) {
    const place = one.host || one.paddock
    byPlace.set(place, [...(byPlace.get(place) ?? []), one])
  }
  return [...byPlace].map(([place, all]) => ({ place, isHost: Boolean(all[0]?.host), all }))
})
function bar(one: Schemas['MaintenanceTime']): Record<string, string> {
  const from = left(one.starts_at)
  return { left: `${from}%`, width: `${Math.max(0.5, Math.min(100, left(one.ends_at)) - from)}%` }
}
const lasts = (one: Schemas['MaintenanceTime']) => `${one.what}: ${exactly(one.starts_at)}, ${duration((Date.parse(one.ends_at) - Date.parse(one.starts_at)) / 1000)}`

const what = ref('')
const place = ref<string>()
const when = ref('')
const hours = ref(2)
const how = ref<'drain' | 'hold'>('drain')
const rule = ref('')
const places = computed(() => [
  ...(yard.yard?.paddocks ?? []).map((one) => ({ value: one.name, label: `all of ${one.name}` })),
  ...yard.plates.filter((one) => one.standing === 'admitted').map((one) => ({ value: one.name, label: one.name })),
])
const AGAIN = [{ value: '', label: 'once' }, { value: 'FREQ=WEEKLY', label: 'every week' }, { value: 'FREQ=MONTHLY', label: 'every month' }, { value: 'FREQ=DAILY', label: 'every day' }]
/** A rule in words where it is one of those; a calendar's own as it stands. */
const again = (rule: string) => AGAIN.find((one) => one.value === rule)?.label ?? `repeats: ${rule}`
const ready = computed(() => what.value.trim() && place.value && when.value)

function plan(): Promise<void> {
  return planning.perform(async () => {
    const starts = momentAt(when.value)
    const body = { what: what.value.trim(), place: place.value ?? '', starts_at: starts.toISOString(), ends_at: new Date(starts.getTime() + hours.value * 3600_000).toISOString(), how: how.value, rule: rule.value, zone }
    await answered(api.POST('/api/v1/maintenance-windows/', { body }))
    what.value = ''
    result.value = 'Saved.'
    await load()
  })
}

function readFile(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return Promise.resolve()
  return planning.perform(async () => {
    const answer = await answered(api.POST('/api/v1/maintenance-calendar/', { body: { text: await file.text(), place: place.value ?? '', zone, how: how.value } }))
    result.value = `${count(answer.new, 'window')} added, ${answer.changed} changed${answer.cancelled ? `, ${answer.cancelled} cancelled` : ''}.`
    await load()
  })
}

function drop(id: number): Promise<void> {
  return perform(async () => {
    await answered(api.DELETE('/api/v1/maintenance-windows/{id}/', { params: { path: { id } } }))
    await load()
  })
}

function makeFeed(): Promise<void> {
  return perform(async () => {
    feed.value = await answered(api.POST('/api/v1/maintenance-feed/'))
  })
}

function endFeed(): Promise<void> {
  return perform(async () => {
    await answered(api.DELETE('/api/v1/maintenance-feed/'))
    feed.value = { made_at: null, url: '' }
  })
}
</script>

<template>
  <div class="screen">
    <h1>Maintenance windows</h1>
    <p class="soft">During a window its hosts take no jobs. Jobs that run at its start finish first; at its end the hosts resume by themselves.</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div class="chart" role="img" :aria-label="`The next four weeks: ${times.map(lasts).join('; ')}`">
      <div class="rail axis">
        <span class="place" />
        <span class="track">
          <span v-for="(day, at) in days" :key="at" class="day" :class="{ monday: isMonday(day), rest: isRest(day) }">{{ at === 0 || isMonday(day) ? shortDay(day) : '' }}</span>
        </span>
      </div>
      <div v-for="rail in rails" :key="rail.place" class="rail" :data-place="rail.place">
        <span class="place"><RouterLink v-if="rail.isHost" :to="{ name: 'host', params: { name: rail.place } }">{{ rail.place }}</RouterLink><strong v-else>{{ rail.place }}</strong></span>
        <span class="track">
          <span v-for="(day, at) in days" :key="at" class="day" :class="{ monday: isMonday(day), rest: isRest(day) }" />
          <span v-for="one in rail.all" :key="one.what + one.starts_at" class="bar" :class="{ byhand: one.window === null }" :style="bar(one)" :title="lasts(one)"><span>{{ one.what }}</span></span>
        </span>
      </div>
      <p v-if="!rails.length" class="soft none">No windows in the next four weeks.</p>
    </div>
    <div class="two">
      <div>
        <h2>Windows</h2>
        <table v-if="plans.length" class="plain-table">
          <tbody>
            <tr v-for="one in plans" :key="one.id" :data-plan="one.what">
              <td><strong>{{ one.what }}</strong> <span class="soft">{{ one.host || `all of ${one.paddock}` }}</span></td>
              <td>{{ exactly(one.starts_at) }}<span class="soft">, {{ duration((Date.parse(one.ends_at) - Date.parse(one.starts_at)) / 1000) }}{{ one.rule ? `, ${again(one.rule)}` : '' }}{{ one.exceptions ? `, with ${count(one.exceptions, 'exception')}` : '' }}</span></td>
              <td class="right">
                <Popconfirm v-if="session.may('operator', one.paddock)" :title="`Delete “${one.what}”? Hosts that it holds now stay held until its end.`" ok-text="Delete" cancel-text="Cancel" @confirm="drop(one.id)"><Button size="small" type="text">Delete…</Button></Popconfirm>
              </td>
            </tr>
          </tbody>
        </table>
        <p v-else class="soft">None yet.</p>
        <h2>Calendar feed</h2>
        <p class="soft">The windows that you may see, as an iCalendar feed at a private address. Anyone with the address can read them.</p>
        <template v-if="feed?.url">
          <CopyText :text="feed.url" data-feed />
          <p class="soft once">It is shown only now.</p>
        </template>
        <p v-if="feed?.made_at" class="row">
          <span v-if="!feed.url">Your address was created on {{ dayOf(feed.made_at) }}.</span>
          <Popconfirm title="Replace the address? Calendars that use the old one stop updating." ok-text="Replace" cancel-text="Cancel" @confirm="makeFeed"><Button size="small">Replace…</Button></Popconfirm>
          <Popconfirm title="Delete the address? Calendars that use it stop updating." ok-text="Delete" cancel-text="Cancel" @confirm="endFeed"><Button size="small">Delete…</Button></Popconfirm>
        </p>
        <Button v-else size="small" data-act="make-feed" @click="makeFeed">Create address</Button>
      </div>
      <form v-if="session.may('operator')" @submit.prevent="plan">
        <h2>Plan a maintenance window</h2>
        <Input v-model:value="what" placeholder="Purpose: new disks" :maxlength="200" aria-label="Purpose" data-field="what" />
        <Select v-model:value="place" :options="places" show-search placeholder="Paddock or host" aria-label="Paddock or host" data-field="place" />
        <div class="row when">
          <label>From <input v-model="when" type="datetime-local" data-field="when" /></label>
          <label>for <InputNumber v-model:value="hours" :min="0.25" :max="1440" size="small" /> hours</label>
        </div>
        <Select v-model:value="rule" :options="AGAIN" aria-label="Repeat" />
        <Select v-model:value="how" :options="[{ value: 'drain', label: 'drain: running jobs finish first' }, { value: 'hold', label: 'hold at once: running jobs go on' }]" aria-label="At its start" />
        <p class="soft">Time zone: {{ zone }}.</p>
        <p v-if="planning.trouble.value" class="trouble" role="alert">{{ planning.trouble.value }}</p>
        <p v-if="result" class="note" role="status">{{ result }}</p>
        <Button type="primary" html-type="submit" :disabled="!ready" :loading="planning.isBusy.value" data-act="plan">Save window</Button>
        <label class="file">Or import an iCalendar file <input type="file" accept=".ics,text/calendar" @change="readFile" /></label>
        <p class="soft">Events name a host or paddock as their location; others apply to the choice above.</p>
      </form>
    </div>
  </div>
</template>

<style scoped>
.once {
  margin: 4px 0 8px;
}

.chart {
  margin: 14px 0 20px;
}

.rail {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr);
  align-items: stretch;
  min-height: 30px;
  border-bottom: 1px solid var(--fence);
}

.axis {
  min-height: 22px;
  font-size: 12px;
}

.place {
  align-self: center;
}

.track {
  position: relative;
  display: flex;
}

.day {
  flex: 1;
  white-space: nowrap;
  overflow: visible;
}

.day.monday {
  border-left: 1px solid var(--fence);
  padding-left: 3px;
}

.rail:not(.axis) .day.rest {
  background: color-mix(in srgb, var(--fence) 25%, transparent);
}

.bar {
  position: absolute;
  top: 4px;
  bottom: 4px;
  min-width: 5px;
  border: 1.5px solid var(--ink);
  border-radius: 2px;
  background: repeating-linear-gradient(-45deg, var(--plate) 0 6px, var(--hatch) 6px 8px);
}

.bar span {
  position: absolute;
  left: calc(100% + 4px);
  font-size: 12px;
  line-height: 18px;
  white-space: nowrap;
}

.bar.byhand {
  border-style: dashed;
}

.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 380px;
  gap: 30px;
}

.two h2 {
  margin: 0 0 6px;
}

.two h2 + p,
table {
  margin-bottom: 18px;
}

form {
  display: flex;
  flex-direction: column;
  gap: 8px;
}

.when {
  flex-wrap: nowrap;
  gap: 12px;
  white-space: nowrap;
}

.when input[type='datetime-local'] {
  padding: 3px 6px;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
  color: var(--ink);
  font: inherit;
}

.when .ant-input-number {
  width: 64px;
}

.file {
  display: flex;
  flex-direction: column;
  gap: 4px;
  margin-top: 10px;
}

.right {
  text-align: right;
}

.none {
  padding: 12px 0;
}
</style>
