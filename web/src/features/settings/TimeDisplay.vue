<script setup lang="ts">
import { Modal, Radio, Select } from 'ant-design-vue'
import { BROWSER_ZONE, chooseClock, clockChoice, exactly } from '../../kit/moments'
import { useNow } from '../../kit/clock'

/** In which zone, and with how many hours, does this person read times? Stored in this browser. */
const open = defineModel<boolean>('open', { required: true })
const now = useNow()
const ZONES = [
  { value: '', label: `This browser's: ${BROWSER_ZONE}` },
  ...['UTC', ...Intl.supportedValuesOf('timeZone')].map((zone) => ({ value: zone, label: zone })),
]
const HOURS = [
  { value: '24', label: '24 hours' },
  { value: '12', label: '12 hours' },
]
</script>

<template>
  <Modal v-model:open="open" title="Time display" :footer="null" width="420px">
    <label>Time zone<Select :value="clockChoice.zone" :options="ZONES" show-search aria-label="Time zone" @change="(zone) => chooseClock({ zone: String(zone) })" /></label>
    <label>Clock<Radio.Group :value="clockChoice.hours" :options="HOURS" @change="(event) => chooseClock({ hours: event.target.value })" /></label>
    <p class="soft">Now: <span data-now>{{ exactly(now) }}</span></p>
  </Modal>
</template>

<style scoped>
label {
  display: flex;
  flex-direction: column;
  gap: 4px;
  margin-bottom: 12px;
}
</style>
