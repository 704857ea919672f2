<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { STATES, type ChoreHost, type ChoreRunSheet } from './chores'
import { answered, api } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count } from '../../kit/format'

/** How far has it rolled, what did it come to on each host, and what changed there? */
const props = defineProps<{ id: string }>()
const session = useSession()
const run = ref<ChoreRunSheet | null>(null)
const { isBusy, trouble, perform } = useAction()
const path = computed(() => ({ id: Number(props.id) }))

async function load(): Promise<void> {
  try {
    run.value = await answered(api.GET('/api/v1/chore-runs/{id}/', { params: { path: path.value } }))
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
const loadSoon = gathered(load)
watch(() => props.id, () => void load(), { immediate: true })
onNote((note) => {
  if (note.noun === 'chore' || note.noun === 'job' || note.noun === 'everything') loadSoon()
})

const over = computed(() => ['ended', 'stopped', 'turned down'].includes(run.value?.state ?? ''))
const sentence = computed(() => {
  const one = run.value
  if (!one) return ''
  const counts = STATES.filter((state) => one.counts[state]).map((state) => `${one.counts[state]} ${state}`).join(', ')
  const how = `${one.at_once === 1 ? 'one host' : `${one.at_once} hosts`} at a time${one.drain ? ', drained first' : ''}${one.stop_after ? `, no further after ${count(one.stop_after, 'failure')}` : ''}`
  return `${counts}, ${how}.`
})
/** The rows to read: what is at work and what needs a person in front. */
const rows = computed(() => [...(run.value?.hosts ?? [])].filter((one) => one.state !== 'waiting' && one.state !== 'left out').sort((a, b) => STATES.indexOf(a.state) - STATES.indexOf(b.state)))
const failed = computed(() => (run.value?.hosts ?? []).filter((one) => ['failed', 'ran but not there', 'could not reach'].includes(one.state)).map((one) => one.host))

function statusOf(host: ChoreHost): string {
  if (host.detail) return host.detail
  if (host.state === 'draining') return host.working.length ? `waits for ${host.working.join(', ')}` : 'is about to run'
  if (host.state === 'done') return run.value?.wanted.length ? `${run.value.wanted.join(', ')} holds` : 'the script passed'
  return ''
}

function act(verb: 'stop' | 'yes' | 'no'): Promise<void> {
  return perform(async () => {
    run.value = verb === 'stop'
      ? await answered(api.POST('/api/v1/chore-runs/{id}/stop/', { params: { path: path.value } }))
      : await answered(api.POST('/api/v1/chore-runs/{id}/approve/', { params: { path: path.value }, body: { yes: verb === 'yes' } }))
  })
}
</script>

<template>
  <div class="screen">
    <p class="soft"><RouterLink :to="{ name: 'chores' }">Chores</RouterLink></p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="run">
      <div class="row head">
        <h1>{{ run.chore }} <span class="soft" :data-run-state="run.state">{{ run.state }}</span></h1>
        <template v-if="session.may('administrator')">
          <template v-if="run.state === 'waiting for approval'">
            <Button type="primary" :loading="isBusy" data-act="approve" @click="act('yes')">Approve</Button>
            <Button :loading="isBusy" @click="act('no')">Decline</Button>
          </template>
          <Popconfirm v-if="run.state === 'rolling' && !run.stopped_by" title="Stop the run? Running hosts finish; waiting hosts are left out." ok-text="Stop" cancel-text="Continue" @confirm="act('stop')">
            <Button :loading="isBusy" data-act="stop">Stop…</Button>
          </Popconfirm>
          <RouterLink v-if="over && failed.length" :to="{ name: 'new-chore', query: { chore: run.chore_id, hosts: failed } }">Run again on {{ count(failed.length, 'failed host') }}</RouterLink>
          <RouterLink v-else-if="over" :to="{ name: 'new-chore', query: { chore: run.chore_id } }">Run again</RouterLink>
        </template>
      </div>
      <p>{{ sentence }}</p>
      <p class="soft">Started by {{ run.asked_by }}, <TimeAgo :at="run.asked_at" /><template v-if="run.approved_by">; approved by {{ run.approved_by }}</template><template v-if="run.stopped_by">; stopped by {{ run.stopped_by }}</template> · hosts chosen {{ run.chosen_by === 'by name' ? '' : 'by ' }}{{ run.chosen_by }}</p>
      <ol class="plates" aria-label="Hosts in order">
        <li v-for="one in run.hosts" :key="one.host" class="plate" :class="one.state.replaceAll(' ', '-')" :data-host="one.host" :data-state="one.state" :title="statusOf(one)">
          <RouterLink :to="{ name: 'host', params: { name: one.host } }">{{ one.host }}</RouterLink>
          <span>{{ one.state }}</span>
        </li>
      </ol>
      <table v-if="rows.length" class="plain-table">
        <thead><tr><th>Host</th><th>Result</th><th>Changed tools</th><th>Log</th></tr></thead>
        <tbody>
          <tr v-for="one in rows" :key="one.host">
            <td><strong>{{ one.host }}</strong> <span class="soft">{{ one.paddock }}</span></td>
            <td><span :class="{ well: one.state === 'done', trouble: ['failed', 'ran but not there', 'could not reach'].includes(one.state) }">{{ one.state }}</span> <span class="soft">{{ statusOf(one) }}</span></td>
            <td class="machine">
              <span v-for="(change, at) in one.changed" :key="at" class="change" :title="change.place">{{ change.tool }} {{ change.after ? (change.before ? `${change.before} → ${change.after}` : change.after) : `${change.before} went` }}</span>
              <span v-if="!one.changed.length && one.ended_at" class="soft">nothing</span>
            </td>
            <td><RouterLink v-if="one.job" :to="{ name: 'run', params: { id: one.job } }">job {{ one.job }}</RouterLink></td>
          </tr>
        </tbody>
      </table>
      <details>
        <summary>The script{{ run.shell ? ` (${run.shell})` : '' }}</summary>
        <pre>{{ run.script }}</pre>
      </details>
    </template>
  </div>
</template>

<style scoped>
.head {
  gap: 10px;
}

.head h1 {
  flex: 1;
}

h1 .soft {
  font-size: 15px;
  font-weight: 400;
}

.plates {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 14px 0 18px;
  padding: 0;
  list-style: none;
}

.plate {
  position: relative;
  display: flex;
  flex-direction: column;
  width: 136px;
  padding: 4px 8px;
  border: 1.5px solid var(--ink);
  border-radius: 4px;
  background: var(--plate);
  font-size: 12.5px;
}

.plate a {
  overflow: hidden;
  color: inherit;
  font-weight: 600;
  text-decoration: none;
  text-overflow: ellipsis;
}

.waiting,
.left-out {
  border: 1px dotted var(--slate);
  background: none;
  color: var(--ink-soft);
}

.left-out {
  border-style: solid;
  border-color: var(--fence);
}

.draining {
  background-image: repeating-linear-gradient(-45deg, transparent 0 6px, var(--hatch) 6px 8px);
  background-repeat: no-repeat;
  background-size: 50% 100%;
}

.running {
  background: var(--yellow);
  color: var(--on-yellow);
}

.surveying {
  background: linear-gradient(0deg, var(--yellow) 40%, var(--plate) 40%);
  color: var(--ink);
}

.done {
  border-color: var(--moss);
  box-shadow: inset 0 -4px 0 var(--moss);
}

.failed,
.ran-but-not-there {
  border-color: var(--rust);
  background: linear-gradient(225deg, var(--rust) 9px, var(--plate) 10px);
}

.could-not-reach {
  border: 1.5px dashed var(--rust);
}

.change {
  display: block;
}

details {
  margin-top: 16px;
}

summary {
  font-weight: 600;
  cursor: pointer;
}

pre {
  padding: 8px 12px;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
  white-space: pre-wrap;
}
</style>
