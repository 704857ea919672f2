<script setup lang="ts">
import { Button, Checkbox, Input, InputNumber } from 'ant-design-vue'
import { computed, reactive } from 'vue'
import { WAYS, settingsBody, wantedOf, type HostPower, type WantedSettings } from './standby'
import { answered, api } from '../../api/client'
import { useYard } from '../yard/yard'
import { useAction } from '../../kit/useAction'
import ChoiceField from '../../kit/ChoiceField.vue'

/** How is this machine switched on, and may it be powered down? */
const props = defineProps<{ power: HostPower }>()
const emit = defineEmits<{ saved: [power: HostPower]; cancel: [] }>()
const { isBusy, trouble, perform } = useAction()
const yard = useYard()
if (!yard.plates.length) void yard.load()
const wanted: WantedSettings = reactive(wantedOf(props.power.settings))
const others = computed(() => [
  { value: '', label: 'choose…' },
  ...yard.plates.filter((one) => one.standing === 'admitted' && one.name !== props.power.host).map((one) => ({ value: one.name, label: one.name })),
])
const EXAMPLE = 'https://192.0.2.7'
const number = (value: unknown): number | null => (value === null || value === '' ? null : Number(value))

function save(): Promise<void> {
  return perform(async () => {
    emit('saved', await answered(api.PUT('/api/v1/hosts/{name}/power/', { params: { path: { name: props.power.host } }, body: settingsBody(wanted) })))
  })
}
</script>

<template>
  <form class="form" aria-label="Power settings" @submit.prevent="save">
    <label class="field">Woken by<ChoiceField v-model:value="wanted.way" :options="WAYS" data-field="way" /></label>
    <label v-if="wanted.way === 'wake-on-lan'" class="field">Hardware address<Input v-model:value="wanted.hardware" :maxlength="40" :placeholder="power.hardware_known.join(', ') || '00:1b:44:11:3a:b7'" data-field="hardware" /></label>
    <template v-if="wanted.way === 'script'">
      <label class="field">Script<textarea v-model="wanted.script" rows="4" spellcheck="false" class="machine" data-field="script" /></label>
      <label class="field">Runs on<ChoiceField v-model:value="wanted.script_host" :options="others" data-field="script-host" /></label>
      <p class="soft">It gets the name of the sleeping host in <code>PADDOCK_WAKE</code>, and has two minutes.</p>
    </template>
    <template v-if="wanted.way === 'redfish'">
      <label class="field">Address of its controller<Input v-model:value="wanted.controller" :maxlength="300" :placeholder="EXAMPLE" data-field="controller" /></label>
      <label class="field">Account<Input v-model:value="wanted.controller_user" :maxlength="100" autocomplete="off" data-field="controller-user" /></label>
      <label class="field">Password<Input v-model:value="wanted.controller_password" type="password" autocomplete="off" :maxlength="200" :placeholder="power.settings.has_password ? 'unchanged' : 'none'" data-field="controller-password" /></label>
      <label class="field">Its certificate, in PEM<textarea v-model="wanted.certificate" rows="3" spellcheck="false" class="machine" placeholder="empty: the authorities that the server trusts" data-field="certificate" /></label>
      <label class="field">System, if it has several<Input v-model:value="wanted.system" :maxlength="100" /></label>
    </template>
    <span data-field="may-power-down"><Checkbox v-model:checked="wanted.may_power_down">The server may power it down</Checkbox></span>
    <label class="field">Watts when idle<InputNumber :value="wanted.watts ?? undefined" :min="0" :placeholder="power.settings.measured_watts === null ? '' : `measured: ${power.settings.measured_watts}`" data-field="watts" @change="(value) => (wanted.watts = number(value))" /></label>
    <label class="field">Watts asleep<InputNumber :value="wanted.watts_asleep ?? undefined" :min="0" :placeholder="power.settings.measured_watts_asleep === null ? '' : `measured: ${power.settings.measured_watts_asleep}`" @change="(value) => (wanted.watts_asleep = number(value))" /></label>
    <div class="row"><Button html-type="submit" type="primary" size="small" :loading="isBusy" data-act="save-power">Save</Button><Button size="small" @click="emit('cancel')">Cancel</Button></div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </form>
</template>

<style scoped>
.form {
  display: flex;
  flex-direction: column;
  gap: 8px;
  max-width: 380px;
  margin-top: 10px;
}

.field {
  display: flex;
  flex-direction: column;
  gap: 2px;
}

.field :deep(.ant-input-number) {
  width: 180px;
}

textarea {
  padding: 4px 8px;
  border: 1px solid var(--fence);
  background: var(--paper);
}
</style>
