<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useBoard, type Group, type Job } from './board'
import { useSession } from '../people/session'
import BoardHelp from './BoardHelp.vue'
import JobSheet from './JobSheet.vue'
import { onKeys } from '../../kit/keys'
import SendJob from './SendJob.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import WaitingGroups from './WaitingGroups.vue'
import { count } from '../../kit/format'

/** Why is this job not running? Where did that one run? What would help most? */
const route = useRoute()
const router = useRouter()
const session = useSession()
const board = useBoard()
const sends = ref(false)
const chosen = computed(() => Number(route.params.id) || null)
const showsHelp = computed(() => route.name === 'board-help')
/** How many of the waiting jobs the proposed steps would let run. */
const helped = computed(() => board.board.value?.steps.reduce((sum, step) => sum + step.count, 0) ?? 0)

const TABS: [Group, string][] = [
  ['waiting', 'Waiting'],
  ['live', 'Running'],
  ['ended', 'Ended'],
]
const NOTHING: Record<Group, string> = {
  waiting: 'No job waits.',
  live: 'No job is running.',
  ended: 'No job has ended yet.',
}

onMounted(async () => {
  await board.load()
  // Opens the first group that has jobs.
  if (chosen.value === null && !showsHelp.value && !board.counts.value.waiting) {
    const first = TABS.find(([group]) => board.counts.value[group] > 0)
    if (first) await board.show(first[0])
  }
})

watch(board.first, (first) => {
  if (chosen.value === null && !showsHelp.value && first !== undefined) void router.replace({ name: 'board', params: { id: String(first) } })
})

async function show(group: Group): Promise<void> {
  await board.show(group)
  if (board.first.value !== undefined) await router.replace({ name: 'board', params: { id: String(board.first.value) } })
}

/** A job that was chosen from elsewhere is shown among its like. */
function follow(state: Job['state']): void {
  const group = state === 'waiting' ? 'waiting' : state === 'running' || state === 'offered' ? 'live' : 'ended'
  if (group !== board.group.value) void board.show(group)
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
      <div class="row under">
        <RouterLink v-if="helped && board.group.value === 'waiting'" class="help-link" :to="{ name: 'board-help' }">{{ count(board.board.value?.steps.length ?? 0, 'step') }} would unblock {{ helped }} of {{ board.board.value?.waiting }}</RouterLink>
        <RouterLink class="send" :to="{ name: 'pipelines' }">Pipelines</RouterLink>
      </div>
      <p v-if="board.trouble.value" class="trouble" role="alert">{{ board.trouble.value }}</p>
      <p v-if="board.board.value && !board.counts.value[board.group.value]" class="soft nothing">{{ NOTHING[board.group.value] }}</p>
      <template v-if="board.group.value === 'waiting'">
        <WaitingGroups :lots="board.lots.value" :chosen="chosen" />
      </template>
      <template v-else>
        <RouterLink v-for="job in board.jobs.value" :key="job.id" class="job" :class="{ chosen: job.id === chosen }" :to="{ name: 'board', params: { id: String(job.id) } }" :data-job="job.id">
          <strong>{{ job.name }}</strong>
          <span class="soft">
            {{ job.pipeline }} · <em :class="{ trouble: ['failed', 'lost', 'timed out'].includes(job.state), well: job.state === 'passed' }">{{ job.state }}</em> on
            {{ job.attempts[job.attempts.length - 1]?.host ?? 'no host' }} · <TimeAgo :at="job.ended_at ?? job.submitted_at" />
          </span>
        </RouterLink>
      </template>
    </div>
    <div class="sheet">
      <BoardHelp v-if="showsHelp && board.board.value" :board="board.board.value" @helped="board.load" />
      <JobSheet v-else-if="chosen" :id="chosen" @shown="follow" @changed="board.load" />
      <p v-else-if="board.board.value && !board.counts.value.waiting && !board.counts.value.live && !board.counts.value.ended" class="soft">
        No jobs yet. A job names what it needs and runs on a host that has it. A waiting job shows the reason and the remedy. <code>paddock submit paddock.yaml</code> sends them from a terminal.
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
  gap: 12px;
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

.list :deep(.job) {
  display: flex;
  flex-direction: column;
  padding: 6px 16px 6px 30px;
  border-left: 3px solid transparent;
  color: inherit;
  font-size: 13px;
  text-decoration: none;
}

.list :deep(.job:hover) {
  background: var(--paper-deep);
}

.list :deep(.job.chosen) {
  border-color: var(--ink);
  background: var(--paper-deep);
}

.list :deep(.job strong) {
  font-weight: 600;
}

em {
  font-style: normal;
}

.under {
  gap: 12px;
  margin: 8px 16px 4px 18px;
}

.help-link {
  padding: 4px 10px;
  border: 1px solid var(--ink);
  border-radius: 4px;
  background: var(--yellow);
  color: var(--on-yellow, #23262b);
  font-weight: 500;
  text-decoration: none;
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
