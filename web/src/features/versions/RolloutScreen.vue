<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { OPEN, STEPS, wavesOf, type RolloutHost, type RolloutSheet } from './rollouts'
import { answered, api } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import './steps.css'
import TimeAgo from '../../kit/TimeAgo.vue'
import { clockTime, count, duration } from '../../kit/format'

/** How far has it rolled, which host is at which step, and why did some go back? */
const props = defineProps<{ id: string }>()
const session = useSession()
const router = useRouter()
const rollout = ref<RolloutSheet | null>(null)
const { isBusy, trouble, perform } = useAction()
const path = computed(() => ({ id: Number(props.id) }))

async function load(): Promise<void> {
  try {
    rollout.value = await answered(api.GET('/api/v1/rollouts/{id}/', { params: { path: path.value } }))
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
const loadSoon = gathered(load)
watch(() => props.id, () => void load(), { immediate: true })
onNote((note) => {
  if (['rollout', 'everything'].includes(note.noun)) loadSoon()
})

const waves = computed(() => (rollout.value ? wavesOf(rollout.value) : []))
const back = computed(() => (rollout.value?.hosts ?? []).filter((one) => one.step === 'went back'))
const excluded = computed(() => (rollout.value?.hosts ?? []).filter((one) => ['left out', 'unreachable'].includes(one.step)))
const isUnfinished = computed(() => (rollout.value?.hosts ?? []).some((one) => ['waiting', 'unreachable', 'installing', 'draining', 'switched'].includes(one.step)))
const sentence = computed(() => STEPS.filter((step) => rollout.value?.counts[step]).map((step) => `${rollout.value?.counts[step]} ${step}`).join(', '))
const rules = computed(() => {
  const one = rollout.value
  if (!one) return ''
  const hours = one.hours ? `, from ${clockTime(one.hours.start)} to ${clockTime(one.hours.end)} ${one.hours.zone ?? 'UTC'}` : ''
  const pause = one.pause ? `, ${duration(one.pause)} between waves` : ''
  const stop = one.stop_after ? `, ends after ${count(one.stop_after, 'host')} went back` : ''
  return `At most ${one.per_paddock} at once per paddock and ${one.per_kind} per kind of work${pause}${hours}${stop}. Jobs have ${duration(one.drain_limit ?? 0)} to end, the new version ${duration(one.proof_limit ?? 0)} to prove itself.`
})

/** What a host does now, in words. */
function statusOf(one: RolloutHost): string {
  if (one.detail) return one.detail
  if (one.step === 'draining') return one.working.length ? `Waits for ${one.working.join(', ')}.` : 'Switches in a moment.'
  if (one.step === 'installing') return 'Installs beside the version that runs.'
  if (one.step === 'switched') return `${one.connected_at ? 'Connected' : 'Not connected yet'}, ${one.surveyed_at ? 'surveyed' : 'not surveyed yet'}${one.proof ? `, proof job ${one.proof}` : ''}.`
  return ''
}

type Verb = 'approve' | 'decline' | 'pause' | 'resume' | 'stop' | 'go-back'
function act(verb: Verb): Promise<void> {
  const params = { params: { path: path.value } }
  return perform(async () => {
    switch (verb) {
      case 'approve':
      case 'decline':
        rollout.value = await answered(api.POST('/api/v1/rollouts/{id}/approve/', { ...params, body: { yes: verb === 'approve' } }))
        break
      case 'pause':
        rollout.value = await answered(api.POST('/api/v1/rollouts/{id}/pause/', params))
        break
      case 'resume':
        rollout.value = await answered(api.POST('/api/v1/rollouts/{id}/resume/', params))
        break
      case 'stop':
        rollout.value = await answered(api.POST('/api/v1/rollouts/{id}/stop/', params))
        break
      case 'go-back': {
        const made = await answered(api.POST('/api/v1/rollouts/{id}/go-back/', params))
        await router.push({ name: 'rollout', params: { id: made.id } })
      }
    }
  })
}
</script>

<template>
  <div class="screen">
    <p class="soft"><RouterLink :to="{ name: 'versions' }">Versions</RouterLink></p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="rollout">
      <div class="row head">
        <h1>{{ rollout.undoes ? `Back from rollout ${rollout.undoes}` : `Rollout ${rollout.id}: to ${rollout.version}` }} <span class="soft" :data-rollout-state="rollout.state">{{ rollout.state }}</span></h1>
        <template v-if="session.may('administrator')">
          <template v-if="rollout.state === 'waiting for approval'">
            <Button type="primary" :loading="isBusy" data-act="approve" @click="act('approve')">Approve</Button>
            <Button :loading="isBusy" @click="act('decline')">Decline</Button>
          </template>
          <Button v-if="rollout.state === 'rolling'" :loading="isBusy" data-act="pause" @click="act('pause')">Pause</Button>
          <Button v-if="rollout.state === 'paused'" type="primary" :loading="isBusy" data-act="resume" @click="act('resume')">Resume</Button>
          <Popconfirm v-if="isUnfinished && (OPEN.includes(rollout.state) || rollout.counts.unreachable)" title="Stop the rollout? Hosts that have switched finish; all others keep their version." ok-text="Stop" cancel-text="Continue" @confirm="act('stop')">
            <Button :loading="isBusy" data-act="stop">Stop…</Button>
          </Popconfirm>
          <Popconfirm v-if="rollout.counts.proven" :title="`Take ${count(rollout.counts.proven, 'proven host')} back to the version from before? Running jobs end first.`" ok-text="Take back" cancel-text="Cancel" @confirm="act('go-back')">
            <Button :loading="isBusy" data-act="go-back">Take back…</Button>
          </Popconfirm>
        </template>
      </div>
      <p><strong>{{ sentence }}.</strong> <span v-if="rollout.reason" class="trouble">{{ rollout.reason }} The rollout stopped.</span></p>
      <p class="soft">{{ rules }}</p>
      <p class="soft">Started by {{ rollout.asked_by }}, <TimeAgo :at="rollout.asked_at" /><template v-if="rollout.approved_by">; approved by {{ rollout.approved_by }}</template><template v-if="rollout.stopped_by">; stopped by {{ rollout.stopped_by }}</template> · hosts: {{ rollout.chosen_by }}</p>
      <div class="waves">
        <section v-for="wave in waves" :key="wave.wave" :aria-label="wave.name" :data-wave="wave.wave">
          <h2>{{ wave.name }} <span class="soft">{{ wave.hosts.filter((one) => one.step === 'proven').length }} of {{ wave.hosts.length }} proven</span></h2>
          <ol>
            <li v-for="one in wave.hosts" :key="one.host" class="step-mark" :data-host="one.host" :data-step="one.step">
              <span class="line"><RouterLink :to="{ name: 'host', params: { name: one.host } }">{{ one.host }}</RouterLink> <span>{{ one.step }}</span></span>
              <span v-if="statusOf(one) && one.step !== 'went back'" class="status">{{ statusOf(one) }}</span>
            </li>
          </ol>
        </section>
      </div>
      <template v-if="back.length">
        <h2>Why hosts went back</h2>
        <div v-for="one in back" :key="one.host" class="why" :data-back="one.host">
          <p><strong>{{ one.host }}</strong> <span class="soft">{{ one.version }} → {{ one.before }}</span> {{ one.detail }} <RouterLink v-if="one.proof" :to="{ name: 'run', params: { id: one.proof } }">job {{ one.proof }}</RouterLink></p>
          <pre v-if="one.evidence.length">{{ one.evidence.join('\n') }}</pre>
        </div>
      </template>
      <template v-if="excluded.length">
        <h2>Not upgraded</h2>
        <table class="plain-table">
          <tbody>
            <tr v-for="one in excluded" :key="one.host" :data-excluded="one.host">
              <td><RouterLink :to="{ name: 'host', params: { name: one.host } }">{{ one.host }}</RouterLink> <span class="soft">{{ one.paddock }}</span></td>
              <td>{{ one.step }}</td>
              <td>{{ one.detail }}</td>
            </tr>
          </tbody>
        </table>
      </template>
    </template>
  </div>
</template>

<style scoped>
.head h1 {
  flex: 1;
}

h1 .soft,
h2 .soft {
  font-size: 14px;
  font-weight: 400;
}

.waves {
  display: flex;
  flex-wrap: wrap;
  align-items: flex-start;
  gap: 0 22px;
  margin: 14px 0 18px;
}

section {
  flex: 1 1 220px;
  max-width: 420px;
  padding-left: 14px;
  border-left: 4px solid var(--fence);
}

ol {
  display: flex;
  flex-direction: column;
  gap: 6px;
  margin: 8px 0 12px;
  padding: 0;
  list-style: none;
}

li {
  padding: 3px 9px 6px;
  font-size: 12.5px;
}

.line {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}

li a {
  color: inherit;
  font-weight: 600;
  text-decoration: none;
}

.status {
  display: block;
}

.why p {
  margin: 8px 0 4px;
}

pre {
  overflow: auto;
  max-height: 220px;
  padding: 8px 12px;
  border-left: 4px solid var(--rust);
  background: var(--plate);
  white-space: pre-wrap;
}
</style>
