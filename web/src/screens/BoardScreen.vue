<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useJobs, type Group, type Job } from '../api/board'
import { useSession } from '../api/session'
import JobSheet from '../parts/JobSheet.vue'
import { onKeys } from '../parts/keys'
import SendJob from '../parts/SendJob.vue'
import TimeAgo from '../parts/TimeAgo.vue'

/** Why is this job not running? Where did that one run? */
const route = useRoute()
const router = useRouter()
const session = useSession()
const board = useJobs()
const sends = ref(false)
const chosen = computed(() => Number(route.params.id) || null)

const TABS: [Group, string][] = [
  ['waiting', 'Waiting'],
  ['live', 'Running'],
  ['ended', 'Ended'],
]
const NOTHING: Record<Group, string> = {
  waiting: 'No job waits.',
  live: 'No job runs now.',
  ended: 'No job has ended yet.',
}

onMounted(async () => {
  await board.load()
  // Somebody who comes for the board at large sees the first group that has something in it.
  if (chosen.value === null && !board.jobs.value.length) {
    const first = TABS.find(([group]) => board.counts.value[group] > 0)
    if (first) await board.show(first[0])
  }
})

watch(
  () => board.jobs.value[0]?.id,
  (first) => {
    if (chosen.value === null && first !== undefined) void router.replace({ name: 'board', params: { id: String(first) } })
  },
)

async function show(group: Group): Promise<void> {
  await board.show(group)
  const first = board.jobs.value[0]
  if (first) await router.replace({ name: 'board', params: { id: String(first.id) } })
}

/** A job that was chosen from elsewhere is shown among its like. */
function follow(state: Job['state']): void {
  const group = state === 'waiting' ? 'waiting' : state === 'running' || state === 'offered' ? 'live' : 'ended'
  if (!board.jobs.value.some((job) => job.id === chosen.value) && group !== board.group.value) void board.show(group)
}

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}

onKeys({ j: () => (sends.value = session.may('operator')) })
</script>

<template>
  <div class="board">
    <div class="list" aria-label="Jobs">
      <div class="row tabs" role="tablist">
        <button v-for="[group, title] in TABS" :key="group" type="button" role="tab" class="bare" :aria-selected="board.group.value === group" @click="show(group)">
          {{ title }} {{ board.counts.value[group] || '' }}
        </button>
        <Button v-if="session.may('operator')" size="small" class="send" @click="sends = true">Send a job</Button>
      </div>
      <p v-if="board.trouble.value" class="trouble" role="alert">{{ board.trouble.value }}</p>
      <p v-if="board.isLoaded.value && !board.jobs.value.length" class="soft nothing">{{ NOTHING[board.group.value] }}</p>
      <section v-for="lot in board.lots.value" :key="lot.title">
        <h2 v-if="lot.title">{{ capital(lot.title) }}<span>{{ lot.members.length }}</span></h2>
        <RouterLink v-for="job in lot.members" :key="job.id" class="job" :class="{ chosen: job.id === chosen }" :to="{ name: 'board', params: { id: String(job.id) } }" :data-job="job.id">
          <strong>{{ job.name }}</strong>
          <span class="soft">
            {{ job.pipeline }} ·
            <template v-if="job.state !== 'waiting'"><em :class="{ trouble: ['failed', 'lost', 'timed out'].includes(job.state), well: job.state === 'passed' }">{{ job.state }}</em> on {{ job.attempts[job.attempts.length - 1]?.host ?? 'no host' }} · </template>
            <TimeAgo :at="job.ended_at ?? job.submitted_at" />
          </span>
        </RouterLink>
      </section>
    </div>
    <div class="sheet">
      <JobSheet v-if="chosen" :id="chosen" @shown="follow" />
      <p v-else-if="board.isLoaded.value" class="soft">
        Nothing was sent yet. A job says what it needs in terms, and runs on a host that has it.
        <Button v-if="session.may('operator')" type="primary" @click="sends = true">Send the first job</Button>
      </p>
    </div>
    <SendJob v-model:open="sends" />
  </div>
</template>

<style scoped>
.board {
  display: grid;
  grid-template-columns: 360px minmax(0, 1fr);
  min-height: calc(100vh - 46px);
}

.list {
  border-right: 1px solid var(--fence);
}

.tabs {
  gap: 16px;
  margin: 8px 14px 8px 18px;
  border-bottom: 1px solid var(--fence);
}

.tabs [role='tab'] {
  padding: 6px 0 5px;
  border-bottom: 3px solid transparent;
  font-weight: 500;
}

.tabs [aria-selected='true'] {
  border-color: var(--yellow);
}

.send {
  margin-left: auto;
}

.list h2 {
  display: flex;
  justify-content: space-between;
  margin: 12px 16px 4px 18px;
  font-size: 13px;
}

.job {
  display: flex;
  flex-direction: column;
  padding: 6px 16px 6px 30px;
  border-left: 3px solid transparent;
  color: inherit;
  font-size: 13px;
  text-decoration: none;
}

.job:hover {
  background: var(--paper-deep);
}

.job.chosen {
  border-color: var(--ink);
  background: var(--paper-deep);
}

.job strong {
  font-weight: 600;
}

em {
  font-style: normal;
}

.nothing,
.list > .trouble {
  margin: 12px 18px;
}

.sheet {
  padding: 16px 20px 40px;
}

@media (width < 900px) {
  .board {
    grid-template-columns: minmax(0, 1fr);
  }

  .list {
    border-right: 0;
    border-bottom: 2px solid var(--fence);
  }
}
</style>
