<script setup lang="ts">
import { Button, Checkbox, Input, InputNumber, RadioGroup, Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { minutesOf, useVersions, wavesTyped, type AskedRollout } from './rollouts'
import { answered, api, type Schemas } from '../../api/client'
import { useYard } from '../yard/yard'
import { useAction } from '../../kit/useAction'
import ChoiceField from '../../kit/ChoiceField.vue'
import TermsEditor from '../board/TermsEditor.vue'
import { count } from '../../kit/format'

/** Which version, on which hosts, in which waves, and which hosts would be left out? */
const route = useRoute()
const router = useRouter()
const yard = useYard()
if (!yard.plates.length) void yard.load()
const { shown } = useVersions()
const asked = (name: string) => [route.query[name] ?? []].flat().map(String).filter(Boolean)
const version = ref('')
const choose = ref<'all' | 'paddocks' | 'hosts' | 'terms'>(asked('hosts').length ? 'hosts' : 'all')
const paddocks = ref<string[]>([])
const hosts = ref(asked('hosts'))
const terms = ref('')
const waves = ref('25%, 100%')
const canaries = ref(true)
const pause = ref(10)
const perPaddock = ref(5)
const perKind = ref(5)
const stopAfter = ref(1)
const isTimed = ref(false)
const from = ref('22:00')
const to = ref('05:00')
const drainHours = ref(6)
const proofMinutes = ref(5)
const plan = ref<Schemas['PlannedRollout'] | null>(null)
const planning = useAction()
const { isBusy, trouble, perform } = useAction()
const versions = computed(() => (shown.value?.held ?? []).map((one, at) => ({ value: at ? one.version : '', label: at ? one.version : `${one.version}, the newest` })))
const known = computed(() => yard.plates.filter((one) => one.standing === 'admitted').map((one) => ({ value: one.name, label: `${one.name} · ${one.paddock}` })))
const places = computed(() => [...new Set(yard.plates.map((one) => one.paddock))].sort().map((value) => ({ value, label: value })))
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
const mistake = computed(() => {
  if (!wavesTyped(waves.value).length) return 'Enter the sizes of the waves, as 5 or 25%.'
  if (isTimed.value && (minutesOf(from.value) === null || minutesOf(to.value) === null)) return 'Enter the hours as 22:00.'
  if (choose.value === 'paddocks' && !paddocks.value.length) return 'Choose paddocks.'
  if (choose.value === 'hosts' && !hosts.value.length) return 'Choose hosts.'
  return choose.value === 'terms' && !terms.value.trim() ? 'Enter terms.' : ''
})
const body = computed<AskedRollout>(() => ({
  version: version.value,
  hosts: choose.value === 'hosts' ? hosts.value : [],
  paddocks: choose.value === 'paddocks' ? paddocks.value : [],
  terms: choose.value === 'terms' ? terms.value.split('\n').map((line) => line.trim()).filter(Boolean) : [],
  waves: wavesTyped(waves.value),
  canaries: canaries.value,
  pause: Math.round(pause.value * 60),
  per_paddock: perPaddock.value,
  per_kind: perKind.value,
  stop_after: stopAfter.value,
  hours: isTimed.value ? { start: minutesOf(from.value) ?? 0, end: minutesOf(to.value) ?? 0, days: [0, 1, 2, 3, 4, 5, 6], zone } : null,
  drain_limit: Math.round(drainHours.value * 3600),
  proof_limit: Math.round(proofMinutes.value * 60),
}))
const reached = computed(() => (plan.value?.waves ?? []).reduce((sum, one) => sum + one.length, 0))

let timer: ReturnType<typeof setTimeout> | undefined
let newest = 0
watch(
  [body, mistake],
  () => {
    clearTimeout(timer)
    const mine = ++newest
    if (mistake.value) {
      plan.value = null
      return
    }
    timer = setTimeout(() => void planning.perform(async () => {
      const made = await answered(api.POST('/api/v1/rollout-plans/', { body: body.value }))
      if (mine === newest) plan.value = made
    }), 300)
  },
  { immediate: true, deep: true },
)

function start(): Promise<void> {
  return perform(async () => {
    const made = await answered(api.POST('/api/v1/rollouts/', { body: body.value }))
    await router.push({ name: 'rollout', params: { id: made.id } })
  })
}
</script>

<template>
  <div class="screen">
    <p class="soft"><RouterLink :to="{ name: 'versions' }">Versions</RouterLink></p>
    <h1>New rollout</h1>
    <form class="two" @submit.prevent="start">
      <div>
        <label class="field">Version<ChoiceField v-model:value="version" :options="versions" data-field="version" /></label>
        <div class="label">Hosts</div>
        <RadioGroup v-model:value="choose" :options="[{ value: 'all', label: 'all' }, { value: 'paddocks', label: 'paddocks' }, { value: 'hosts', label: 'by name' }, { value: 'terms', label: 'that meet terms, or a kit' }]" />
        <Select v-if="choose === 'hosts'" v-model:value="hosts" mode="multiple" :options="known" placeholder="Hosts" class="wide" data-field="hosts" />
        <Select v-if="choose === 'paddocks'" v-model:value="paddocks" mode="multiple" :options="places" placeholder="Paddocks" class="wide" data-field="paddocks" />
        <TermsEditor v-if="choose === 'terms'" v-model="terms" bare />
        <div class="label later">Waves</div>
        <Checkbox v-model:checked="canaries" data-field="canaries">Canaries first: one host per system, and the rollout ends if it goes back</Checkbox>
        <label class="field">Then, as numbers of hosts or shares<Input v-model:value="waves" placeholder="25%, 100%" data-field="waves" /></label>
        <p class="pace">Pause after each wave <InputNumber v-model:value="pause" :min="0" :max="43200" size="small" aria-label="Pause in minutes" data-field="pause" /> minutes</p>
        <p class="pace">At once per paddock <InputNumber v-model:value="perPaddock" :min="1" :max="5000" size="small" aria-label="At once per paddock" /> and per kind of work <InputNumber v-model:value="perKind" :min="1" :max="5000" size="small" aria-label="At once per kind of work" /></p>
        <p class="pace soft">One ready host of each kind of work always stays.</p>
        <p class="pace">Stop after this many hosts went back <InputNumber v-model:value="stopAfter" :min="0" :max="5000" size="small" aria-label="Stop after" /> <span class="soft">0: never</span></p>
        <p class="pace"><Checkbox v-model:checked="isTimed" data-field="timed">Begin only from</Checkbox> <Input v-model:value="from" size="small" class="hour" aria-label="From" :disabled="!isTimed" /> to <Input v-model:value="to" size="small" class="hour" aria-label="To" :disabled="!isTimed" /> <span class="soft">{{ zone }}</span></p>
        <p class="pace">Jobs have <InputNumber v-model:value="drainHours" :min="1" :max="168" size="small" aria-label="Hours for jobs to end" /> hours to end, a new version <InputNumber v-model:value="proofMinutes" :min="1" :max="60" size="small" aria-label="Minutes to prove itself" /> minutes to prove itself</p>
      </div>
      <aside aria-label="Plan">
        <h2>Plan</h2>
        <p v-if="mistake" class="soft">{{ mistake }}</p>
        <p v-else-if="planning.trouble.value" class="trouble" role="alert">{{ planning.trouble.value }}</p>
        <p v-else-if="!plan" class="soft">Planning…</p>
        <template v-if="plan && !mistake">
          <ol class="plan">
            <li v-for="(names, wave) in plan.waves" v-show="names.length" :key="wave" :data-planned="wave"><strong>{{ wave ? `Wave ${wave}` : 'Canaries' }}</strong> <span class="soft">{{ count(names.length, 'host') }}</span><br />{{ names.slice(0, 14).join(', ') }}{{ names.length > 14 ? ` and ${names.length - 14} more` : '' }}</li>
          </ol>
          <p v-if="!reached" class="trouble">No host can be upgraded to {{ plan.version }}.</p>
          <p v-if="plan.needs_approval.length" class="note">A second person must approve it for {{ plan.needs_approval.join(', ') }}.</p>
          <details v-if="plan.left_out.length" :open="plan.left_out.length < 8">
            <summary>{{ count(plan.left_out.length, 'host is', 'hosts are') }} left out</summary>
            <p v-for="one in plan.left_out.slice(0, 60)" :key="one.host" :data-left-out="one.host"><strong>{{ one.host }}</strong> {{ one.reason }}</p>
          </details>
        </template>
        <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        <p class="go"><Button type="primary" html-type="submit" :loading="isBusy" :disabled="Boolean(mistake) || !reached" data-act="start">Upgrade {{ count(reached, 'host') }}</Button></p>
      </aside>
    </form>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 420px;
  gap: 30px;
  margin-top: 10px;
}

.field,
.label {
  display: block;
  margin-bottom: 12px;
  font-weight: 500;
}

.label {
  margin-bottom: 4px;
}

.later {
  margin-top: 20px;
}

.field .choice,
.field .ant-input {
  display: block;
  max-width: 320px;
  margin-top: 3px;
  font-weight: 400;
}

.ant-checkbox-wrapper {
  margin-bottom: 8px;
}

.pace {
  margin-bottom: 8px;
}

.pace .ant-input-number {
  width: 74px;
}

.hour {
  width: 66px;
}

.wide {
  width: 100%;
  margin-top: 8px;
}

aside {
  padding: 4px 16px 14px;
  border: 1.5px solid var(--fence);
  border-radius: 4px;
  align-self: start;
}

.plan {
  margin: 6px 0 12px;
  padding: 0;
  list-style: none;
}

.plan li {
  margin-bottom: 8px;
  padding-left: 10px;
  border-left: 4px solid var(--yellow);
}

.go {
  margin-top: 14px;
}
</style>
