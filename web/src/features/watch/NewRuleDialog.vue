<script setup lang="ts">
import { Button, Checkbox, Drawer, Input, InputNumber, Radio, Select } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { useYard } from '../yard/yard'
import { useAction } from '../../kit/useAction'
import { minutesOf } from '../../kit/format'
import { zoneName } from '../../kit/moments'

/** A new notification rule. */
const open = defineModel<boolean>('open', { required: true })
const emit = defineEmits<{ made: [rule: Schemas['NewRule']] }>()
const yard = useYard()
const { isBusy, trouble, perform } = useAction()

const name = ref('')
const kind = ref<'mail' | 'webhook'>('mail')
const target = ref('')
const severity = ref<Schemas['SeverityEnum']>('soon')
const paddocks = ref<string[]>([])
const gather = ref(60)
const hasQuiet = ref(false)
const from = ref('20:00')
const to = ref('06:00')
const zone = ref(zoneName())
const urgentAnyway = ref(true)
const known = computed(() => (yard.yard?.paddocks ?? []).map((one) => ({ value: one.name })))

function make(): Promise<void> {
  return perform(async () => {
    const quiet = { quiet_from: minutesOf(from.value), quiet_to: minutesOf(to.value), quiet_days: [0, 1, 2, 3, 4, 5, 6] }
    if (hasQuiet.value && (quiet.quiet_from === null || quiet.quiet_to === null)) throw new Error('Enter the quiet hours as 20:00 and 06:00.')
    const body = {
      name: name.value.trim(),
      kind: kind.value,
      target: target.value.trim(),
      severity: severity.value,
      paddocks: paddocks.value,
      gather_seconds: gather.value,
      urgent_anyway: urgentAnyway.value,
      zone: zone.value,
      ...(hasQuiet.value ? quiet : {}),
    }
    emit('made', await answered(api.POST('/api/v1/notification-rules/', { body })))
    open.value = false
    name.value = target.value = ''
  })
}
</script>

<template>
  <Drawer v-model:open="open" title="New notification rule" width="480">
    <form @submit.prevent="make">
      <label>Name<Input v-model:value="name" :maxlength="100" placeholder="harbour office" required data-field="name" /></label>
      <Radio.Group v-model:value="kind" name="kind" :options="[{ label: 'Mail', value: 'mail' }, { label: 'Webhook', value: 'webhook' }]" />
      <label>
        {{ kind === 'mail' ? 'Address' : 'Webhook address' }}
        <span v-if="kind === 'webhook'" class="soft">It receives CloudEvents as a JSON batch, signed with HMAC-SHA256. The secret is shown once.</span>
        <Input v-model:value="target" :maxlength="500" :placeholder="kind === 'mail' ? 'office@saltmarsh.example' : 'https://chat.saltmarsh.example/hook'" required data-field="target" />
      </label>
      <label>Which findings<Radio.Group v-model:value="severity" :options="[{ label: 'urgent', value: 'urgent' }, { label: 'urgent and soon', value: 'soon' }, { label: 'all', value: 'note' }]" /></label>
      <label>Paddocks<Select v-model:value="paddocks" mode="multiple" :options="known" placeholder="all paddocks" /></label>
      <label>Collect findings for this many seconds into one message<InputNumber v-model:value="gather" :min="0" :max="3600" /></label>
      <Checkbox v-model:checked="hasQuiet">Quiet hours</Checkbox>
      <template v-if="hasQuiet">
        <div class="row">
          <Input v-model:value="from" class="time" aria-label="Quiet from" /> to <Input v-model:value="to" class="time" aria-label="Quiet to" />
          <Input v-model:value="zone" aria-label="Time zone" class="zone" />
        </div>
        <Checkbox v-model:checked="urgentAnyway">Send urgent findings anyway</Checkbox>
      </template>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <Button type="primary" html-type="submit" :loading="isBusy" :disabled="!name.trim() || !target.trim()">Save rule</Button>
    </form>
  </Drawer>
</template>

<style scoped>
form {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 12px;
}

label:not(.ant-checkbox-wrapper, .ant-radio-wrapper) {
  display: flex;
  flex-direction: column;
  gap: 2px;
  width: 100%;
  font-weight: 500;
}

label .soft {
  font-weight: 400;
}

.time {
  width: 76px;
}

.zone {
  width: 160px;
}
</style>
