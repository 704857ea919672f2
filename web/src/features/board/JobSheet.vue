<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, ProblemError, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useYard } from '../yard/yard'
import AskAccess from '../people/AskAccess.vue'
import AttemptProof from '../run/AttemptProof.vue'
import HelpButton from './HelpButton.vue'
import PriorityChoice from './PriorityChoice.vue'
import TermsEditor from './TermsEditor.vue'
import { useNow } from '../../kit/clock'
import { useAction } from '../../kit/useAction'
import FitFunnel from './FitFunnel.vue'
import FitSheet from './FitSheet.vue'
import TermCounts from './TermCounts.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import WhyFailed from '../run/WhyFailed.vue'
import { duration } from '../../kit/format'

/** One job: why it waits, or where it ran. */
const props = defineProps<{ id: number }>()
const emit = defineEmits<{ shown: [state: Schemas['JobStateEnum']]; changed: [] }>()
const session = useSession()
const yard = useYard()
const job = ref<Schemas['JobSheet'] | null>(null)
const fit = ref<Schemas['Fit'] | null>(null)
const failure = ref<Schemas['Failure'] | null>(null)
const { isBusy, trouble, perform } = useAction()
const now = useNow()

const showsAll = ref(false)
const lines = ref<string | null>(null)
const editing = useAction()

const isWaiting = computed(() => job.value?.state === 'waiting')
const isOver = computed(() => Boolean(job.value?.ended_at))
const newest = computed(() => job.value?.attempts[job.value.attempts.length - 1])

async function load(): Promise<void> {
  const path = { id: props.id }
  try {
    const answer = await answered(api.GET('/api/v1/jobs/{id}/', { params: { path } }))
    const sheet = answer.state === 'waiting' ? await answered(api.GET('/api/v1/jobs/{id}/fit/', { params: { path, query: { all: showsAll.value } } })) : null
    const last = answer.state === 'failed' ? answer.attempts.at(-1)?.number : undefined
    const failed = last ? await answered(api.GET('/api/v1/jobs/{id}/attempts/{number}/', { params: { path: { ...path, number: last } } })) : null
    if (path.id !== props.id) return
    failure.value = failed?.failure ?? null
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
    job.value = fit.value = failure.value = lines.value = null
    showsAll.value = false
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
  if (one.state === 'running' && link && link !== 'connected') return `was last seen on ${at?.host}, which is ${link} now`
  if (one.state === 'running') return `runs on ${at?.host} for ${since(at?.started_at)}${one.cancel_asked ? '; cancelling' : ''}`
  const took = at?.started_at && at.ended_at ? ` after ${duration((Date.parse(at.ended_at) - Date.parse(at.started_at)) / 1000)}` : ''
  return `${at ? `${one.state} on ${at.host}` : `was ${one.state} before it ran`}${took}${at?.exit_code ? `, exit code ${at.exit_code}` : ''}`
})

function since(moment: string | null | undefined): string {
  return moment ? duration(Math.round((now.value - Date.parse(moment)) / 1000)) : ''
}

/** The remedy to offer first: of the cheapest near fit, if it takes one step that the server can do. */
const firstHelp = computed(() => {
  const near = fit.value?.hosts.find((row) => row.remedies.length)
  const found = near?.remedies.filter((one) => one.can_be_done) ?? []
  const correction = found.find((one) => one.kind === 'correct the job')
  if (correction) return correction
  return near?.remedies.length === 1 ? (found[0] ?? null) : null
})
const helpLabel = computed(() => {
  const one = firstHelp.value
  if (one?.kind !== 'correct the job') return undefined
  return one.what ? `Correct it to “${one.instead}”` : `Also ask for “${one.instead}”`
})

function helped(): void {
  void load()
  emit('changed')
}

function letIn(paddock: string, forGood: boolean): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/jobs/{id}/let-in/', { params: { path: { id: props.id } }, body: { paddock, for_good: forGood } }))
    helped()
  })
}

function edit(): void {
  const one = job.value
  lines.value = one ? [...one.terms.filter((term) => !one.implied.includes(term)), ...one.prefers.map((term) => `prefer ${term}`)].join('\n') : null
}

function saveTerms(): Promise<void> {
  return editing.perform(async () => {
    const terms = (lines.value ?? '').split('\n').map((line) => line.trim()).filter(Boolean)
    await answered(api.PATCH('/api/v1/jobs/{id}/', { params: { path: { id: props.id } }, body: { terms } }))
    lines.value = null
    helped()
  })
}

watch(showsAll, () => void load())

function cancel(): Promise<void> {
  return perform(async () => {
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
      <Popconfirm v-if="!isOver && session.may('operator')" :title="isWaiting ? `Cancel ${job.name}?` : `Cancel ${job.name}? Its script on ${newest?.host} is stopped.`" ok-text="Cancel the job" cancel-text="Keep it" @confirm="cancel">
        <Button :loading="isBusy" :disabled="job.cancel_asked">Cancel…</Button>
      </Popconfirm>
    </div>
    <p class="soft">
      Job {{ job.id }} of <RouterLink :to="{ name: 'pipeline', params: { name: job.pipeline } }">{{ job.pipeline }}</RouterLink> · sent by {{ job.submitted_by }}, <TimeAgo :at="job.submitted_at" /><template v-if="job.slots > 1"> · takes {{ job.slots }} slots of one host</template><template v-if="job.submission?.commit"> · at <code :title="job.submission.commit">{{ job.submission.commit.slice(0, 10) }}</code> of {{ job.submission.ref }}</template>
    </p>
    <WhyFailed v-if="failure" :failure="failure" :job="job" />
    <p v-if="job.state === 'cancelled' && job.reason" class="soft">{{ job.reason }}</p>

    <template v-if="isWaiting && fit">
      <div v-if="session.may('operator')" class="row acts">
        <template v-if="job.reason_kind === 'not allowed into this paddock'">
          <template v-for="paddock in job.reason_places" :key="paddock">
            <Button type="primary" :loading="isBusy" :disabled="!session.may('operator', paddock)" data-act="let-in-once" @click="letIn(paddock, false)">Let this job into {{ paddock }}</Button>
            <span v-if="!session.may('operator', paddock)" class="soft">An operator of {{ paddock }} can do this. <AskAccess role="operator" :paddock="paddock" /></span>
            <Popconfirm v-if="session.may('administrator', paddock)" :title="`Let all jobs of ${job.pipeline} into ${paddock} from now on?`" ok-text="Let them in" cancel-text="Cancel" @confirm="letIn(paddock, true)">
              <Button :loading="isBusy" data-act="let-in-for-good">{{ job.pipeline }} always…</Button>
            </Popconfirm>
          </template>
        </template>
        <HelpButton v-else-if="firstHelp" :help="firstHelp" :label="helpLabel" :jobs="[job.id]" primary @done="helped" />
        <Button v-if="lines === null" data-act="edit-terms" @click="edit">Change terms</Button>
        <PriorityChoice :job="job.id" :priority="job.priority" @changed="helped" />
      </div>
      <template v-if="lines !== null">
        <h2>Terms</h2>
        <TermsEditor v-model="lines" :slots="job.slots" :pipeline="job.pipeline" />
        <p v-if="editing.trouble.value" class="trouble" role="alert">{{ editing.trouble.value }}</p>
        <div class="row acts">
          <Button type="primary" :loading="editing.isBusy.value" data-act="save-terms" @click="saveTerms">Save terms</Button>
          <Button @click="lines = null">Cancel</Button>
        </div>
      </template>
      <TermCounts v-else :fit="fit" :implied="job.implied" />
      <h2>Hosts that remain after each step</h2>
      <FitFunnel :steps="fit.funnel" />
      <h2>Fit sheet</h2>
      <FitSheet v-model:shows-all="showsAll" :fit="fit" :job="job.id" :offered="firstHelp?.kind === 'correct the job' ? firstHelp : null" @helped="helped" />
    </template>

    <template v-for="attempt in [...job.attempts].reverse()" :key="attempt.number">
      <h2>{{ job.attempts.length > 1 ? `Attempt ${attempt.number}` : isOver ? 'Where it ran' : 'Where it runs now' }}</h2>
      <AttemptProof :job="job.id" :attempt="attempt" :shows-log="attempt.number === newest?.number" />
    </template>

    <template v-if="!isWaiting && job.terms.length + job.prefers.length">
      <h2>Requested terms</h2>
      <p>
        <template v-for="term in job.terms" :key="term"><code class="term">{{ term }}</code><span v-if="job.implied.includes(term)" class="soft">implied by its shell </span></template>
        <code v-for="term in job.prefers" :key="term" class="term">prefer {{ term }}</code>
      </p>
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

.acts {
  flex-wrap: wrap;
  gap: 8px;
  margin: 8px 0 10px;
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
