<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, ProblemError, type Schemas } from '../api/client'
import { gathered, onNote } from '../api/feed'
import { useSession } from '../api/session'
import { useYard } from '../api/yard'
import AttemptProof from './AttemptProof.vue'
import { useNow } from './clock'
import { useDoing } from './doing'
import FitFunnel from './FitFunnel.vue'
import FitSheet from './FitSheet.vue'
import TermCounts from './TermCounts.vue'
import TimeAgo from './TimeAgo.vue'
import { duration } from './wording'

/** One job: why it waits, or where it ran. */
const props = defineProps<{ id: number }>()
const emit = defineEmits<{ shown: [state: Schemas['JobStateEnum']] }>()
const session = useSession()
const yard = useYard()
const job = ref<Schemas['JobSheet'] | null>(null)
const fit = ref<Schemas['Fit'] | null>(null)
const { isBusy, trouble, doing } = useDoing()
const now = useNow()

const isWaiting = computed(() => job.value?.state === 'waiting')
const isOver = computed(() => Boolean(job.value?.ended_at))
const newest = computed(() => job.value?.attempts[job.value.attempts.length - 1])

async function load(): Promise<void> {
  const path = { id: props.id }
  try {
    const answer = await answered(api.GET('/api/v1/jobs/{id}/', { params: { path } }))
    const sheet = answer.state === 'waiting' ? await answered(api.GET('/api/v1/jobs/{id}/fit/', { params: { path } })) : null
    if (path.id !== props.id) return
    if (job.value === null) emit('shown', answer.state)
    job.value = answer
    fit.value = sheet
    trouble.value = ''
  } catch (error) {
    if (path.id !== props.id) return
    if (error instanceof ProblemError && error.problem.status === 404) job.value = null
    trouble.value = (error as Error).message
  }
}

const loadSoon = gathered(load)
watch(
  () => props.id,
  () => {
    job.value = fit.value = null
    void load()
  },
  { immediate: true },
)
onNote((note) => {
  if (note.noun === 'everything' || (note.noun === 'job' && note.name === String(props.id))) loadSoon()
  if (note.noun === 'host' && isWaiting.value) loadSoon()
})

const sentence = computed(() => {
  const one = job.value
  if (!one) return ''
  const at = newest.value
  if (one.state === 'waiting') return `waits ${since(one.submitted_at)}:`
  if (one.state === 'offered') return `is offered to ${at?.host}`
  const link = yard.plates.find((plate) => plate.name === at?.host)?.link
  if (one.state === 'running' && link && link !== 'connected') return `was last heard of on ${at?.host}, which is ${link} now`
  if (one.state === 'running') return `runs on ${at?.host}, for ${since(at?.started_at)} now${one.cancel_asked ? '; it was asked to stop' : ''}`
  const took = at?.started_at && at.ended_at ? ` after ${duration((Date.parse(at.ended_at) - Date.parse(at.started_at)) / 1000)}` : ''
  return `${at ? `${one.state} on ${at.host}` : `was ${one.state} before it ran`}${took}${at?.exit_code ? `, exit code ${at.exit_code}` : ''}`
})

function since(moment: string | null | undefined): string {
  return moment ? duration(Math.round((now.value - Date.parse(moment)) / 1000)) : ''
}

function cancel(): Promise<void> {
  return doing(async () => {
    job.value = await answered(api.POST('/api/v1/jobs/{id}/cancel/', { params: { path: { id: props.id } } }))
    await load()
  })
}
</script>

<template>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  <article v-if="job" :data-job-state="job.state">
    <div class="head">
      <h1>{{ job.name }} <span class="soft">{{ sentence }} <strong v-if="isWaiting" class="reason">{{ job.reason }}</strong></span></h1>
      <Popconfirm v-if="!isOver && session.may('operator')" :title="isWaiting ? `Cancel ${job.name}?` : `Cancel ${job.name}? Its script is stopped on ${newest?.host}.`" ok-text="Cancel the job" cancel-text="Leave it" @confirm="cancel">
        <Button :loading="isBusy" :disabled="job.cancel_asked">Cancel…</Button>
      </Popconfirm>
    </div>
    <p class="soft">Job {{ job.id }} of {{ job.pipeline }} · sent by {{ job.submitted_by }}, <TimeAgo :at="job.submitted_at" /></p>

    <template v-if="isWaiting && fit">
      <TermCounts :fit="fit" />
      <h2>From all hosts to this job</h2>
      <FitFunnel :steps="fit.funnel" />
      <h2>Fit sheet</h2>
      <FitSheet :fit="fit" />
    </template>

    <template v-for="attempt in [...job.attempts].reverse()" :key="attempt.number">
      <h2>{{ job.attempts.length > 1 ? `Attempt ${attempt.number}` : isOver ? 'Where it ran' : 'Where it runs' }}</h2>
      <AttemptProof :job="job.id" :attempt="attempt" :shows-log="attempt.number === newest?.number" />
    </template>

    <template v-if="!isWaiting && job.terms.length">
      <h2>What it asked for</h2>
      <p><code v-for="term in job.terms" :key="term" class="term">{{ term }}</code></p>
    </template>
    <details>
      <summary>Script</summary>
      <pre class="script">{{ job.script }}</pre>
    </details>
  </article>
</template>

<style scoped>
.head {
  display: flex;
  align-items: flex-start;
  justify-content: space-between;
  gap: 16px;
}

h1 .soft {
  margin-left: 6px;
  font-size: 15px;
  font-weight: 400;
}

.reason {
  color: var(--ink);
  font-weight: 600;
}

h2 {
  margin: 18px 0 4px;
}

.term {
  display: inline-block;
  margin: 0 8px 4px 0;
  padding: 1px 8px;
  border: 1px solid var(--fence);
  border-radius: 3px;
  background: var(--plate);
}

details {
  margin-top: 18px;
}

summary {
  font-weight: 600;
  cursor: pointer;
}

.script {
  padding: 8px 12px;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
  white-space: pre-wrap;
}
</style>
