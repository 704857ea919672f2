<script setup lang="ts">
import { Button, Input, InputNumber, Select } from 'ant-design-vue'
import { computed, reactive, ref, watch } from 'vue'
import { serverAddress } from '../../api/address'
import { answered, api, ProblemError, type Schemas } from '../../api/client'
import { useYard } from '../yard/yard'
import { systemName } from '../../kit/format'
import LabelsField from '../../kit/LabelsField.vue'

/** Which machine is coming, and how it is to be kept: everything has a default but the system and the paddock. */
const props = defineProps<{ choices: Schemas['Choices']; name: string }>()
const emit = defineEmits<{ made: [made: Schemas['NewBringUp']]; system: [system: Schemas['SystemChoices']] }>()
const yard = useYard()

const wanted = reactive<Schemas['MakeBringUpRequest']>({
  paddock: '',
  system: 'linux',
  arch: 'x64',
  server: serverAddress,
  name: props.name,
  labels: [],
  slots: 0,
  work_folder: '',
  supervisor: 'service',
  account: '',
  hours: 24,
})
const newPaddock = ref('')
const isBusy = ref(false)
const trouble = ref('')
const wrong = ref<Record<string, string>>({})

const system = computed(() => props.choices.systems.find((one) => one.system === wanted.system)!)
const paddocks = computed(() => (yard.yard?.paddocks ?? []).map((one) => ({ value: one.name, label: one.name })))
const isHere = computed(() => /\/\/(localhost|127\.|\[::1\])/.test(wanted.server))
const SUPERVISORS: Record<Schemas['SupervisorEnum'], [string, string]> = {
  service: ['A service', 'Starts at boot, and restarts when it fails.'],
  'log-in': ['At log-in', 'Starts when its account logs in, for builds that need a screen. Switch on automatic log-in: after a reboot the host is away until the account logs in.'],
  'by hand': ['By hand', 'For a machine that comes and goes. After a reboot the host is away until a person starts the agent.'],
}

watch(system, (chosen) => {
  if (!chosen.arches.includes(wanted.arch)) wanted.arch = chosen.arches[0]!
  if (!chosen.supervisor.includes(wanted.supervisor ?? 'service')) wanted.supervisor = 'service'
  emit('system', chosen)
}, { immediate: true })
watch(paddocks, (there) => {
  wanted.paddock ||= there[0]?.value ?? ''
}, { immediate: true })

async function perform(work: () => Promise<void>): Promise<void> {
  isBusy.value = true
  trouble.value = ''
  wrong.value = {}
  try {
    await work()
  } catch (error) {
    const errors = error instanceof ProblemError ? (error.problem.errors ?? []) : []
    wrong.value = Object.fromEntries(errors.map((one) => [one.pointer.split('/')[1], one.detail]))
    trouble.value = errors.length ? '' : (error as Error).message
  } finally {
    isBusy.value = false
  }
}

function makePaddock(): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/paddocks/', { body: { name: newPaddock.value.trim() } }))
    await yard.load()
    wanted.paddock = newPaddock.value.trim()
    newPaddock.value = ''
  })
}

/** The host that has this name already: its machine is repaired, not brought in. */
const existing = computed(() => yard.plates.find((plate) => plate.name.toLowerCase() === (wanted.name ?? '').trim().toLowerCase()))

function make(repairs = false): Promise<void> {
  const paddock = repairs && existing.value ? existing.value.paddock : wanted.paddock
  return perform(async () => emit('made', await answered(api.POST('/api/v1/bring-ups/', { body: { ...wanted, paddock, repairs } }))))
}
</script>

<template>
  <form @submit.prevent="make()">
    <fieldset class="systems">
      <legend>System</legend>
      <label v-for="one in choices.systems" :key="one.system" :class="{ chosen: wanted.system === one.system }">
        <input v-model="wanted.system" type="radio" name="system" :value="one.system" />{{ systemName(one.system) }}
      </label>
      <span class="arch">on<Select v-model:value="wanted.arch" :options="system.arches.map((arch) => ({ value: arch, label: arch }))" aria-label="Processor" /></span>
    </fieldset>
    <div class="pair">
      <label>Paddock<Select v-model:value="wanted.paddock" :options="paddocks" placeholder="No paddocks yet: create one" data-field="paddock" /></label>
      <div class="new"><Input v-model:value="newPaddock" placeholder="or create one" aria-label="Name of a new paddock" :maxlength="63" /><Button :disabled="!newPaddock.trim()" @click="makePaddock">Create</Button></div>
    </div>
    <div class="pair">
      <label>Name<Input v-model:value="wanted.name" :maxlength="80" placeholder="from the machine" data-field="name" /><b v-if="wrong.name" class="trouble">{{ wrong.name }}</b>
        <span v-if="existing" class="soft" data-part="existing">{{ existing.name }} is already a host in {{ existing.paddock }}. To reinstall its agent and keep its key, name and labels: <Button size="small" :loading="isBusy" data-act="repair" @click.prevent="make(true)">Repair {{ existing.name }}</Button></span></label>
      <label>Labels<LabelsField :model-value="wanted.labels ?? []" @update:model-value="(labels) => (wanted.labels = labels)" name="Labels" data-field="labels" /><b v-if="wrong.labels" class="trouble">{{ wrong.labels }}</b></label>
    </div>
    <div class="pair">
      <label>Slots<InputNumber :value="wanted.slots || undefined" :min="1" :max="1000" placeholder="from cores and memory" data-field="slots" @update:value="(n) => (wanted.slots = Number(n ?? 0))" />
        <span class="soft">Default: one slot per two cores, at most one per 4 GiB of memory. The preflight warns if you ask for more.</span></label>
      <label>Work folder<Input v-model:value="wanted.work_folder" :maxlength="200" :placeholder="system.work_folder" class="machine" data-field="work" />
        <b v-if="wrong.work_folder" class="trouble">{{ wrong.work_folder }}</b>
        <span v-else class="soft">At most {{ system.longest_work_folder }} characters and no spaces, since builds make long paths below it.</span></label>
    </div>
    <fieldset>
      <legend>Supervisor of the agent</legend>
      <label v-for="kind in system.supervisor" :key="kind" class="supervisor">
        <input v-model="wanted.supervisor" type="radio" name="supervisor" :value="kind" /><span><strong>{{ SUPERVISORS[kind][0] }}.</strong> {{ SUPERVISORS[kind][1] }}</span>
      </label>
      <b v-if="wrong.supervisor" class="trouble">{{ wrong.supervisor }}</b>
    </fieldset>
    <label v-if="wanted.supervisor !== 'by hand'">Account<Input v-model:value="wanted.account" :maxlength="100" :placeholder="`one of its own (${system.own_account})`" class="machine" data-field="account" />
      <b v-if="wrong.account" class="trouble">{{ wrong.account }}</b>
      <span v-else class="soft">Jobs run under it with its permissions. The default account is created if missing; any other must exist.</span></label>
    <label>Server address, as the machine reaches it<Input v-model:value="wanted.server" :maxlength="200" class="machine" data-field="server" />
      <b v-if="wrong.server" class="trouble">{{ wrong.server }}</b>
      <span v-else-if="isHere" class="note">This address works only on this machine. For another machine, enter a name by which it reaches this server.</span></label>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <Button type="primary" html-type="submit" :loading="isBusy" :disabled="!wanted.paddock || !choices.agent_version">Create sheet</Button>
    <p v-if="!choices.agent_version" class="trouble">This server has no agent packages. Run `make wheels`.</p>
  </form>
</template>

<style scoped>
form > label,
.pair > label {
  display: flex;
  flex-direction: column;
  gap: 2px;
  font-weight: 500;
}

form {
  display: flex;
  flex-direction: column;
  gap: 13px;
}

.soft,
.note,
b {
  font-size: 12.5px;
  font-weight: 400;
}

b {
  font-weight: 500;
}

.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  align-items: start;
  gap: 16px;
}

.new {
  display: flex;
  align-self: end;
  gap: 6px;
}

fieldset {
  margin: 0;
  padding: 0;
  border: 0;
}

legend {
  margin: 0 0 3px;
  font-size: 14px;
  font-weight: 500;
}

.systems {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}

.systems legend {
  float: left;
  width: 100%;
}

.systems label {
  padding: 5px 14px;
  border: 1px solid var(--slate);
  border-radius: 4px;
  background: var(--plate);
  cursor: pointer;
}

.systems label.chosen {
  border: 2px solid var(--ink);
  padding: 4px 13px;
  font-weight: 600;
}

.systems input {
  margin-right: 7px;
  accent-color: var(--ink);
}

.arch {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  margin-left: 6px;
}

.supervisor {
  display: flex;
  align-items: baseline;
  gap: 8px;
  padding: 2px 0;
}

.supervisor input {
  accent-color: var(--ink);
}

form > button {
  align-self: flex-start;
}

:deep(.ant-input-number) {
  width: 100%;
}

@media (width < 900px) {
  .pair {
    grid-template-columns: 1fr;
  }
}
</style>
