<script setup lang="ts">
import { Button, Checkbox, Drawer, Input, InputNumber } from 'ant-design-vue'
import { ref, watch } from 'vue'
import { answered, api } from '../../api/client'
import { useYard } from './yard'
import { useAction } from '../../kit/useAction'
import HoldButtons from './HoldButtons.vue'
import LabelsField from '../../kit/LabelsField.vue'

/** What a paddock's fence says: which pipelines may send jobs in, from where agents may call, whether a pass alone lets them in, and what is watched. */
const paddock = defineModel<string | null>('paddock', { required: true })
const yard = useYard()
const purpose = ref('')
const networks = ref<string[]>([])
const pipelines = ref<string[]>([])
const admitsAtOnce = ref(false)
const services = ref<string[]>([])
const watchMayStart = ref(false)
const grace = ref(0)
const leaseMinutes = ref(0)
const endsProcesses = ref(true)
const warmDays = ref(14)
const choresNeedApproval = ref(false)
const rolloutsNeedApproval = ref(false)
const followsVersions = ref(false)
/** Whether the fields hold this paddock's fence: what was not read must not be saved over it. */
const isRead = ref(false)
const result = ref('')
const { isBusy, trouble, perform } = useAction()

watch(paddock, (name) => {
  isRead.value = false
  result.value = ''
  if (!name) return
  void perform(async () => {
    const all = await answered(api.GET('/api/v1/paddocks/', { params: { query: { page_size: 1000 } } }))
    const found = all.results.find((one) => one.name === name)
    if (!found) throw new Error(`The paddock ${name} no longer exists.`)
    if (name !== paddock.value) return
    purpose.value = found.purpose ?? ''
    networks.value = found.networks ?? []
    pipelines.value = found.pipelines ?? []
    admitsAtOnce.value = found.admits_at_once ?? false
    services.value = found.services ?? []
    watchMayStart.value = found.watch_may_start ?? false
    grace.value = found.grace ?? 0
    leaseMinutes.value = (found.lease ?? 0) / 60
    endsProcesses.value = found.ends_processes ?? true
    warmDays.value = found.warm_days ?? 14
    choresNeedApproval.value = found.chores_need_approval ?? false
    rolloutsNeedApproval.value = found.rollouts_need_approval ?? false
    followsVersions.value = found.follows_versions ?? false
    isRead.value = true
  })
})

function done(what: string): void {
  result.value = what
  void yard.load()
}

function resumeAll(): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/paddocks/{name}/{verb}/', { params: { path: { name: paddock.value ?? '', verb: 'resume' } }, body: { reason: '' } }))
    done('They accept jobs again.')
  })
}

function save(): Promise<void> {
  return perform(async () => {
    const body = {
      purpose: purpose.value,
      networks: networks.value,
      pipelines: pipelines.value,
      admits_at_once: admitsAtOnce.value,
      services: services.value,
      watch_may_start: watchMayStart.value,
      grace: grace.value,
      lease: Math.round(leaseMinutes.value * 60),
      ends_processes: endsProcesses.value,
      warm_days: warmDays.value,
      chores_need_approval: choresNeedApproval.value,
      rollouts_need_approval: rolloutsNeedApproval.value,
      follows_versions: followsVersions.value,
    }
    await answered(api.PATCH('/api/v1/paddocks/{name}/', { params: { path: { name: paddock.value ?? '' } }, body }))
    await yard.load()
    paddock.value = null
  })
}
</script>

<template>
  <Drawer :open="paddock !== null" :title="`The fence of ${paddock}`" width="460" @close="paddock = null">
    <form @submit.prevent="save">
      <label>Purpose<Input v-model:value="purpose" :maxlength="200" /></label>
      <label>
        Allowed pipelines
        <span class="soft">Names; * matches anything, and * alone lets in all. Jobs of other pipelines wait at the fence until an operator lets them in.</span>
        <LabelsField v-model="pipelines" name="Allowed pipelines" spaced placeholder="none: all jobs wait" data-field="pipelines" />
      </label>
      <label>
        Agent networks
        <span class="soft">Empty means any. The gate marks agents from other networks.</span>
        <LabelsField v-model="networks" name="Networks" placeholder="10.20.0.0/16" data-field="networks" />
      </label>
      <Checkbox v-model:checked="admitsAtOnce">Admit agents with a pass automatically</Checkbox>
      <p class="soft">A pass is then enough to run jobs here from inside the networks: agents are admitted automatically.</p>
      <label class="later">
        Watched services
        <span class="soft">Watched on all its hosts. A job asks for one with <code>service NAME running</code>.</span>
        <LabelsField v-model="services" name="Watched services" data-field="services" />
      </label>
      <Checkbox v-model:checked="watchMayStart" data-field="watch-may-start">Let watches start the agent's service</Checkbox>
      <p class="soft">If it stopped or failed, at most three times per hour; never if it was stopped with the agent's own command.</p>
      <label class="later">
        Grace
        <span class="soft">Seconds of silence after which a host is lost (0: the server's default).</span>
        <InputNumber v-model:value="grace" :min="0" :max="3600" />
      </label>
      <label>
        Lease
        <span class="soft">Minutes of silence after which the jobs on a host are lost (0: the server's default). A shorter cut loses no job.</span>
        <InputNumber v-model:value="leaseMinutes" :min="0" :max="10080" data-field="lease" />
      </label>
      <label>
        Warm folders
        <span class="soft">Days that a folder stays after its last use. Agents apply a change when they reconnect.</span>
        <InputNumber v-model:value="warmDays" :min="0" :max="3650" data-field="warm-days" />
      </label>
      <p class="soft">How long logs and files stay is set for the server: an administrator for everything changes it on the page This server.</p>
      <Checkbox v-model:checked="endsProcesses" data-field="ends-processes">End leftover processes of jobs</Checkbox>
      <p class="soft">Otherwise the run's page only lists them.</p>
      <Checkbox v-model:checked="choresNeedApproval" data-field="chores-need-approval">Chores need a second person's approval</Checkbox>
      <Checkbox v-model:checked="rolloutsNeedApproval" class="line" data-field="rollouts-need-approval">Rollouts need a second person's approval</Checkbox>
      <Checkbox v-model:checked="followsVersions" class="line" data-field="follows-versions">Upgrade agents to new versions automatically</Checkbox>
      <p class="soft">Once other hosts have run a version for a day, and none of them went back.</p>
      <p class="row later"><span>All hosts:</span> <HoldButtons :paddock="paddock ?? ''" size="small" @done="done" /> <Button size="small" @click="resumeAll">Resume</Button></p>
      <p v-if="result" class="note" role="status">{{ result }}</p>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <Button type="primary" html-type="submit" class="later" :loading="isBusy" :disabled="!isRead">Save</Button>
    </form>
  </Drawer>
</template>

<style scoped>
label:not(.ant-checkbox-wrapper) {
  display: flex;
  flex-direction: column;
  gap: 2px;
  margin-bottom: 14px;
  font-weight: 500;
}

.later {
  margin-top: 14px;
}

label .soft {
  font-weight: 400;
}

.line {
  display: flex;
  margin-inline-start: 0;
}
</style>
