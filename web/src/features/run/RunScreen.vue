<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answered, api, type Schemas } from '../../api/client'
import { useRun } from './run'
import { useSession } from '../people/session'
import { useYard } from '../yard/yard'
import { useAction } from '../../kit/useAction'
import RunBand from './RunBand.vue'
import RunEvidence from './RunEvidence.vue'
import RunFiles from './RunFiles.vue'
import RunLog from './RunLog.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import WhyFailed from './WhyFailed.vue'
import { duration } from '../../kit/format'

/** Did it really run there, with what, what did it print, and how does that differ from another run? */
const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const session = useSession()
const yard = useYard()
if (!yard.plates.length) void yard.load()
const id = computed(() => Number(props.id))
const wanted = computed(() => Number(route.query.attempt) || null)
const chosenLine = computed(() => Number(route.query.line) || null)
const { job, attempt, trouble, load } = useRun(id, wanted)
const act = useAction()

const isOver = computed(() => Boolean(job.value?.ended_at))
const isAway = computed(() => {
  const link = yard.plates.find((plate) => plate.name === attempt.value?.host)?.link
  return attempt.value?.state === 'running' && link !== undefined && link !== 'connected'
})
const took = computed(() => {
  const one = attempt.value
  return one?.started_at && one.ended_at ? duration((Date.parse(one.ended_at) - Date.parse(one.started_at)) / 1000) : ''
})
const bad = computed(() => ['failed', 'lost', 'timed out', 'refused'].includes(attempt.value?.state ?? ''))
const before = computed(() => attempt.value?.compare_with ?? null)

function showLine(line: number): void {
  void router.replace({ query: { ...route.query, attempt: attempt.value?.number, line } })
}

function again(where: Schemas['WhereEnum']): Promise<void> {
  return act.perform(async () => {
    const started = await answered(api.POST('/api/v1/jobs/{id}/run-again/', { params: { path: { id: id.value } }, body: { where } }))
    await router.push({ name: 'run', params: { id: started.id } })
  })
}

function cancel(): Promise<void> {
  return act.perform(async () => {
    await answered(api.POST('/api/v1/jobs/{id}/cancel/', { params: { path: { id: id.value } } }))
    await load()
  })
}

function giveUp(): Promise<void> {
  return act.perform(async () => {
    await answered(api.POST('/api/v1/jobs/{id}/attempts/{number}/give-up/', { params: { path: { id: id.value, number: attempt.value?.number ?? 0 } } }))
    await load()
  })
}
</script>

<template>
  <div class="screen">
    <p v-if="trouble || act.trouble.value" class="trouble" role="alert">{{ trouble || act.trouble.value }}</p>
    <template v-if="job">
      <p class="soft up">
        <RouterLink :to="{ name: 'board' }">Board</RouterLink> · <RouterLink :to="{ name: 'pipeline', params: { name: job.pipeline } }">{{ job.pipeline }}</RouterLink> · job {{ job.id }}<template v-if="job.chore_run">, of <RouterLink :to="{ name: 'chore-run', params: { id: job.chore_run } }">a chore</RouterLink></template><template v-if="job.rerun_of">, which repeats <RouterLink :to="{ name: 'run', params: { id: job.rerun_of } }">job {{ job.rerun_of }}</RouterLink></template>
      </p>
      <div class="head">
        <h1>
          {{ job.name }}
          <span v-if="attempt" class="soft"><strong :class="{ well: attempt.state === 'passed', trouble: bad }" :data-state="attempt.state">{{ attempt.state }}</strong> on {{ attempt.host }}<template v-if="took">, after {{ took }}</template><template v-else-if="attempt.started_at">, began <TimeAgo :at="attempt.started_at" /></template></span>
          <span v-else class="soft">waits: {{ job.reason }}</span>
        </h1>
        <div v-if="session.may('operator')" class="row">
          <template v-if="isOver && !job.is_internal">
            <Button :loading="act.isBusy.value" data-act="again" @click="again('anywhere')">Run again</Button>
            <Button v-if="attempt" :loading="act.isBusy.value" data-act="again-same" @click="again('same host')">on {{ attempt.host }}</Button>
            <Button v-if="attempt" :loading="act.isBusy.value" data-act="again-other" @click="again('another host')">on another host</Button>
          </template>
          <Popconfirm v-if="isAway" :title="`Give up this attempt? ${attempt?.host} is away. If it comes back, its result does not count.`" ok-text="Give up" cancel-text="Keep waiting" @confirm="giveUp">
            <Button :loading="act.isBusy.value" data-act="give-up">Give up…</Button>
          </Popconfirm>
          <Popconfirm v-if="!isOver" :title="`Cancel ${job.name}?`" ok-text="Cancel the job" cancel-text="Keep it" @confirm="cancel">
            <Button :loading="act.isBusy.value" :disabled="job.cancel_asked">Cancel…</Button>
          </Popconfirm>
        </div>
      </div>
      <p v-if="attempt?.note" class="note-line" :class="{ trouble: bad }">{{ attempt.note }}</p>
      <WhyFailed v-if="attempt?.failure" :failure="attempt.failure" :job="job" />
      <p v-if="job.attempts.length > 1" class="row attempts">
        <span class="soft">Attempts</span>
        <RouterLink v-for="one in job.attempts" :key="one.number" :to="{ query: { attempt: one.number } }" :class="{ here: one.number === attempt?.number }" :data-attempt="one.number">{{ one.number }}: {{ one.state }} on {{ one.host }}</RouterLink>
        <RouterLink v-if="job.attempts.length > 1" :to="{ name: 'compare-runs', query: { first: `${job.id}-${job.attempts.at(-2)?.number}`, second: `${job.id}-${job.attempts.at(-1)?.number}` } }">Compare the last two</RouterLink>
      </p>
      <template v-if="attempt">
        <RunBand :attempt="attempt" @line="showLine" />
        <div class="two">
          <RunLog :job="job.id" :attempt="attempt.number" :steps="attempt.steps" :line="chosenLine" :removed-at="attempt.removed_at" height="calc(100vh - 290px)" @line="showLine" />
          <aside>
            <p v-if="before" class="compare"><RouterLink :to="{ name: 'compare-runs', query: { first: before.name, second: `${job.id}-${attempt.number}` } }" data-act="compare">Compare with {{ before.name }}</RouterLink> <span class="soft">which {{ before.state }} on {{ before.host }}, <TimeAgo :at="before.at" /></span></p>
            <h2>Evidence</h2>
            <RunEvidence :attempt="attempt" :job="job" />
            <RunFiles :attempt="attempt" />
          </aside>
        </div>
      </template>
      <p v-else>It has not started yet. <RouterLink :to="{ name: 'board', params: { id: job.id } }">The board shows why it waits.</RouterLink></p>
    </template>
  </div>
</template>

<style scoped>
.screen {
  padding: 12px 18px 20px;
}

.head {
  display: flex;
  align-items: flex-start;
  justify-content: space-between;
  gap: 16px;
  margin-bottom: 6px;
}

h1 .soft {
  margin-left: 6px;
  font-size: 15px;
  font-weight: 400;
}

.note-line {
  margin-bottom: 6px;
}

.attempts {
  gap: 14px;
  margin-bottom: 6px;
}

.here {
  color: var(--ink);
  font-weight: 600;
  text-decoration: none;
}

.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 340px;
  gap: 20px;
  margin-top: 12px;
}

.compare {
  margin-bottom: 10px;
}

@media (width < 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
