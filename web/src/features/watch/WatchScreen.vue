<script setup lang="ts">
import { Input } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useFindings } from './findings'
import { useSession } from '../people/session'
import AvailabilityCell from './AvailabilityCell.vue'
import ForecastChart from './ForecastChart.vue'
import NotificationRules from './NotificationRules.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count, duration } from '../../kit/format'
import { exactly } from '../../kit/moments'

/** How well is the yard kept running, what gets worse, and what runs out? */
type Watched = Schemas['WatchedHost']

const session = useSession()
const findings = useFindings()
const watch = ref<Schemas['Watch'] | null>(null)
const over = ref<Schemas['Finding'][]>([])
const trouble = ref('')
const sought = ref('')

async function load(): Promise<void> {
  try {
    const [seen, closed] = await Promise.all([
      answered(api.GET('/api/v1/watch/')),
      answered(api.GET('/api/v1/findings/', { params: { query: { closed: true } } })),
    ])
    watch.value = seen
    over.value = closed.findings.slice(0, 8)
    trouble.value = ''
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
void load()
void findings.load()
const loadSoon = gathered(load, 1500)
onNote((note) => {
  if (['finding', 'host', 'paddock', 'everything'].includes(note.noun)) loadSoon()
})

const SHOWN = 60
/** The least available first. */
const hosts = computed(() =>
  [...(watch.value?.hosts ?? [])]
    .filter((one) => `${one.name} ${one.paddock}`.includes(sought.value.trim().toLowerCase()))
    .sort((a, b) => (a.availability.week.share ?? 1) - (b.availability.week.share ?? 1)),
)
const services = computed(() => [...new Set((watch.value?.hosts ?? []).flatMap((host) => host.services.map((one) => one.name)))].sort())
const serving = computed(() => (watch.value?.hosts ?? []).filter((host) => host.services.length))

function state(host: Watched, service: string): string {
  return host.services.find((one) => one.name === service)?.running ?? ''
}

function between(seconds: number | null): string {
  return seconds === null ? 'none lost' : duration(seconds)
}
</script>

<template>
  <div class="screen">
    <div class="row"><h1 class="grow">Watch</h1><RouterLink :to="{ name: 'versions' }">Agent versions</RouterLink></div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="watch && !watch.hosts.length" class="soft">No hosts yet.</p>
    <template v-if="watch?.hosts.length">
      <p class="soft">
        Availability is the share of expected time that a host was connected. Holds and the time before its first connection do not count.
        {{ count(findings.pressing.length, 'finding is', 'findings are') }} open.
      </p>
      <div class="two">
        <section aria-label="Availability">
          <table class="plain-table">
            <thead>
              <tr><th>Paddock</th><th>24 hours</th><th>7 days</th><th>30 days</th><th title="Mean time connected between losses, over 30 days">Between losses</th><th title="Mean time to reconnect, over 30 days">To repair</th></tr>
            </thead>
            <tbody>
              <tr v-for="one in watch.paddocks" :key="one.name" :data-watched-paddock="one.name">
                <td><strong>{{ one.name }}</strong> <span class="soft">{{ count(one.hosts, 'host') }}</span></td>
                <AvailabilityCell :found="one.availability.day" />
                <AvailabilityCell :found="one.availability.week" />
                <AvailabilityCell :found="one.availability.month" />
                <td>{{ between(one.availability.month.between_losses) }}</td>
                <td>{{ one.availability.month.to_repair === null ? '' : duration(one.availability.month.to_repair) }}</td>
              </tr>
            </tbody>
            <thead>
              <tr><th><Input v-model:value="sought" size="small" placeholder="Host or paddock" aria-label="Host or paddock" allow-clear /></th><th colspan="5">the least available this week first</th></tr>
            </thead>
            <tbody>
              <tr v-for="host in hosts.slice(0, SHOWN)" :key="host.name" :data-watched="host.name">
                <td>
                  <RouterLink :to="{ name: 'host', params: { name: host.name } }">{{ host.name }}</RouterLink>{{ ' ' }}<span class="soft">{{ host.paddock }}</span>
                  <strong v-if="host.is_flapping" class="trouble">{{ ' ' }}· comes and goes</strong>
                  <span v-else-if="host.link !== 'connected'" class="trouble">{{ ' ' }}· {{ host.link }}</span>
                </td>
                <AvailabilityCell :found="host.availability.day" />
                <AvailabilityCell :found="host.availability.week" />
                <AvailabilityCell :found="host.availability.month" />
                <td>{{ between(host.availability.month.between_losses) }}<span v-if="host.availability.month.losses" class="soft"> · {{ count(host.availability.month.losses, 'loss', 'losses') }}</span></td>
                <td>{{ host.availability.month.to_repair === null ? '' : duration(host.availability.month.to_repair) }}</td>
              </tr>
            </tbody>
          </table>
          <p v-if="hosts.length > SHOWN" class="soft">{{ hosts.length - SHOWN }} more with higher availability. Search by name above.</p>
        </section>
        <div>
          <section aria-label="Disks that fill up">
            <h2>Disks that fill up</h2>
            <p v-if="!watch.forecasts.length" class="soft">No disk has a reliable trend.</p>
            <ForecastChart v-for="one in watch.forecasts.slice(0, 4)" :key="one.host" :forecast="one" />
            <p v-if="watch.forecasts.length" class="soft">Dashed: the Theil–Sen line of the last weeks; the band is its 98 % interval.</p>
          </section>
          <section v-if="serving.length" aria-label="Services by host">
            <h2>Watched services</h2>
            <table class="plain-table services">
              <thead><tr><th></th><th v-for="service in services" :key="service" class="machine">{{ service }}</th></tr></thead>
              <tbody>
                <tr v-for="host in serving" :key="host.name">
                  <td><RouterLink :to="{ name: 'host', params: { name: host.name } }">{{ host.name }}</RouterLink></td>
                  <td v-for="service in services" :key="service" :class="state(host, service) === 'running' ? 'well' : 'trouble'">{{ state(host, service) }}</td>
                </tr>
              </tbody>
            </table>
          </section>
          <section aria-label="Expiring">
            <h2>Expiring within 30 days</h2>
            <p v-if="!watch.running_out.length" class="soft">No passes or certificates expire.</p>
            <table v-else class="plain-table">
              <tbody>
                <tr v-for="one in watch.running_out" :key="one.what + one.name">
                  <td>{{ one.what }} “{{ one.name }}”{{ ' ' }}<span class="soft">{{ one.paddock }}</span></td>
                  <td :title="exactly(one.ends_at)">in {{ duration((Date.parse(one.ends_at) - Date.now()) / 1000) }}</td>
                </tr>
              </tbody>
            </table>
          </section>
          <section aria-label="Over">
            <h2>Over</h2>
            <p v-if="!over.length" class="soft">No finding has closed yet.</p>
            <table v-else class="plain-table">
              <tbody>
                <tr v-for="one in over" :key="one.id" :data-over="one.code">
                  <td><RouterLink v-if="one.hosts.length === 1" :to="{ name: 'host', params: { name: one.hosts[0] } }">{{ one.hosts[0] }}</RouterLink><template v-else>{{ one.about }}</template></td>
                  <td>{{ one.title }}</td>
                  <td class="soft">lasted {{ duration((Date.parse(one.closed_at ?? one.since) - Date.parse(one.opened_at)) / 1000) }}, over <TimeAgo :at="one.closed_at ?? one.since" /></td>
                </tr>
              </tbody>
            </table>
          </section>
        </div>
      </div>
    </template>
    <!-- Not sooner: what comes above would push it away from under the pointer. -->
    <NotificationRules v-if="watch && session.may('operator')" />
  </div>
</template>

<style scoped>
.grow {
  flex: 1;
}

.two {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 28px;
  margin-top: 12px;
}

.two section + section {
  margin-top: 20px;
}

thead + tbody + thead th {
  padding-top: 16px;
  vertical-align: bottom;
}

.services td {
  font-size: 13px;
}

@media (width < 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
