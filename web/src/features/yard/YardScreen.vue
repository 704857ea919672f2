<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useComing } from '../bring-up/expected-hosts'
import { useFindings } from '../watch/findings'
import { useSession } from '../people/session'
import { useYard, type Plate } from './yard'
import ExpectedPlate from './ExpectedPlate.vue'
import FenceDrawer from './FenceDrawer.vue'
import AccessItems from './AccessItems.vue'
import FindingList from '../watch/FindingList.vue'
import GatePanel from './GatePanel.vue'
import FenceItems from './FenceItems.vue'
import GuessingItems from './GuessingItems.vue'
import HandItem from './HandItem.vue'
import HostPlate from './HostPlate.vue'
import { onKeys } from '../../kit/keys'
import PlateLegend from './PlateLegend.vue'
import { count } from '../../kit/format'

/** What needs me? The yard's state in a sentence, its plates, and what wants a hand. */
/** What a job waits for when waiting alone will not do. */
const HOPELESS = new Set(['no host fits', 'no hosts', 'not allowed into this paddock'])

const yard = useYard()
const session = useSession()
const router = useRouter()
const coming = useComing()
const findings = useFindings()
const guessing = ref<Schemas['Guessing'][]>([])
const access = ref<Schemas['AccessRequest'][]>([])
const fenced = ref<string | null>(null)
const stuck = ref<Schemas['Job'][]>([])
const isAtFence = (job: Schemas['Job']) => job.reason_kind === 'not allowed into this paddock'
const atFences = computed(() => stuck.value.filter(isAtFence))
const hopeless = computed(() => stuck.value.filter((job) => !isAtFence(job)))

const able = computed(() => yard.plates.filter((one) => one.standing === 'admitted' && one.link === 'connected' && !one.holding).length)
const inside = computed(() => yard.plates.length - yard.atTheGate.length)
const away = computed(() => yard.plates.filter((one) => one.standing === 'admitted' && one.link !== 'connected').length)
/** Empty paddocks stand last: there is nothing to see in them. */
const paddocks = computed(() => [...(yard.yard?.paddocks ?? [])].sort((a, b) => Number(!a.hosts.length) - Number(!b.hosts.length)))
const mayBringIn = computed(() => session.may('administrator'))
const hands = computed(() => findings.pressing.length + yard.atTheGate.length + coming.stuck.length + guessing.value.length + access.value.length + stuck.value.length)

function slots(plates: Plate[]): string {
  const all = plates.reduce((sum, one) => sum + one.slots, 0)
  const working = plates.reduce((sum, one) => sum + one.working, 0)
  return `${working} of ${count(all, 'slot')} working`
}

async function loadStuck(): Promise<void> {
  try {
    const waiting = await answered(api.GET('/api/v1/jobs/', { params: { query: { state: 'waiting' } } }))
    stuck.value = waiting.results.filter((job) => HOPELESS.has(job.reason_kind))
  } catch {
    stuck.value = []
  }
}

function bringIn(): void {
  if (mayBringIn.value) void router.push({ name: 'bring-in' })
}

void coming.load()
void findings.load()
void loadStuck()
const loadStuckSoon = gathered(loadStuck)
onNote((note) => {
  if (note.noun === 'job' || note.noun === 'host' || note.noun === 'everything') loadStuckSoon()
})
onKeys({ n: bringIn })
</script>

<template>
  <div class="yard screen">
    <div class="head row">
      <h1>Yard</h1>
      <p v-if="yard.yard" class="sentence">
        <template v-if="yard.plates.length">
          <strong>{{ able }} of {{ count(inside, 'host') }}</strong> can take work<template v-if="away">, <strong class="trouble">{{ count(away, 'is', 'are') }} away</strong></template>.
          <template v-if="yard.atTheGate.length"><strong>{{ count(yard.atTheGate.length, 'stands', 'stand') }} at the gate.</strong></template>
          {{ ' ' }}{{ count(yard.yard.running, 'job runs', 'jobs run') }}, {{ count(yard.yard.waiting, 'waits', 'wait') }}<template v-if="stuck.length"> ({{ stuck.length }} blocked)</template>.
        </template>
        <template v-else>No hosts yet.</template>
      </p>
      <RouterLink :to="{ name: 'chores' }" class="chores">Chores</RouterLink>
      <RouterLink :to="{ name: 'versions' }">Versions</RouterLink>
      <RouterLink :to="{ name: 'maintenance' }">Maintenance windows</RouterLink>
      <RouterLink :to="{ name: 'standby' }">Standby</RouterLink>
      <Button v-if="mayBringIn" type="primary" class="bring" @click="bringIn">Bring in a host <kbd>n</kbd></Button>
    </div>
    <p v-if="yard.trouble" class="trouble" role="alert">{{ yard.trouble }}</p>
    <div class="columns">
      <div class="plots">
        <section v-for="paddock in paddocks" :key="paddock.name" class="plot" :data-paddock="paddock.name">
          <h2>
            {{ paddock.name }}
            <span class="soft">{{ count(paddock.hosts.length, 'host') }}<template v-if="paddock.hosts.length"> · {{ slots(paddock.hosts) }}</template><template v-if="paddock.purpose"> · {{ paddock.purpose }}</template></span>
            <button v-if="session.may('administrator', paddock.name)" type="button" class="bare fence" :aria-label="`The fence of ${paddock.name}`" @click="fenced = paddock.name">fence…</button>
          </h2>
          <div v-if="paddock.hosts.length || coming.expectedIn(paddock.name).length" class="plates">
            <HostPlate v-for="plate in paddock.hosts" :key="plate.name" :plate="plate" />
            <ExpectedPlate v-for="sheet in coming.expectedIn(paddock.name)" :key="sheet.id" :sheet="sheet" />
          </div>
          <p v-else class="soft">No hosts in this paddock.</p>
        </section>
        <p v-if="yard.yard && !yard.yard.paddocks.length">
          No paddocks yet. <Button v-if="mayBringIn" type="primary" @click="bringIn">Make the first one and bring in a host</Button>
        </p>
        <PlateLegend v-if="yard.plates.length" />
      </div>
      <aside id="hand" aria-label="Needs a hand">
        <h2 class="row"><span>Needs a hand</span><span class="soft">{{ hands }}</span></h2>
        <FindingList :findings="findings.findings" />
        <p v-if="findings.trouble" class="trouble" role="alert">{{ findings.trouble }}</p>
        <HandItem v-for="sheet in coming.stuck" :key="sheet.id" what="Bring-up" :since="sheet.made_at" kind="trouble" :data-stuck="sheet.title">
          <template #title><RouterLink :to="{ name: 'bring-up', params: { id: String(sheet.id) } }">{{ sheet.title }}</RouterLink> not allowed</template>
          {{ sheet.sentence }}
        </HandItem>
        <GuessingItems v-model="guessing" />
        <AccessItems v-model="access" />
        <GatePanel />
        <FenceItems :jobs="atFences" @changed="loadStuck" />
        <HandItem v-for="job in hopeless" :key="job.id" what="Waits" :since="job.submitted_at" kind="trouble">
          <template #title><RouterLink :to="{ name: 'board', params: { id: String(job.id) } }">{{ job.name }}</RouterLink> of {{ job.pipeline }}: {{ job.reason_kind }}</template>
          {{ job.reason }}
        </HandItem>
        <p v-if="!hands" class="soft none">Nothing.</p>
      </aside>
    </div>
    <FenceDrawer v-model:paddock="fenced" />
  </div>
</template>

<style scoped>
.head {
  gap: 14px;
  margin-bottom: 14px;
}

.sentence {
  flex: 1 1 300px;
  color: var(--ink-soft);
  font-size: 15px;
}

.sentence strong {
  color: var(--ink);
}

.sentence strong.trouble {
  color: var(--rust);
}

.chores {
  margin-left: auto;
}

.bring kbd {
  margin-left: 6px;
  font-family: inherit;
  opacity: 0.7;
}

.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 318px;
  gap: 20px;
}

.plot {
  position: relative;
  margin-bottom: 20px;
  padding: 12px 12px 14px;
  border: 2px solid var(--fence);
  border-radius: 3px;
  background: var(--paper-deep);
}

/* The posts of the fence, along its upper and lower rail. */
.plot::before,
.plot::after {
  position: absolute;
  right: 0;
  left: 0;
  height: 10px;
  background: repeating-linear-gradient(90deg, var(--fence) 0 4px, transparent 4px 34px);
  content: '';
}

.plot::before {
  top: -6px;
}

.plot::after {
  bottom: -6px;
}

.plot h2 {
  margin-bottom: 8px;
  font-size: 14px;
}

.plot h2 .soft {
  margin-left: 6px;
  font-size: 13px;
  font-weight: 400;
}

.fence {
  float: right;
  color: var(--ink-soft);
  font-size: 12px;
  font-weight: 400;
}

.plates {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(158px, 1fr));
  gap: 8px;
}

aside > h2 {
  justify-content: space-between;
  padding-bottom: 6px;
  border-bottom: 2px solid var(--ink);
}

.none {
  margin-top: 8px;
}

@media (width < 900px) {
  .sentence {
    order: 1;
  }

  .bring {
    margin-left: auto;
  }

  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
