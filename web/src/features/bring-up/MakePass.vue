<script setup lang="ts">
import { Button, Input, InputNumber, Select } from 'ant-design-vue'
import { computed, reactive, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { useYard } from '../yard/yard'
import { useAction } from '../../kit/useAction'
import LabelsField from '../../kit/LabelsField.vue'

/** A pass without a sheet, for machines that are set up unattended: what joins with it stands at the gate. */
const emit = defineEmits<{ made: [made: Schemas['NewPass']] }>()
const yard = useYard()
const wanted = reactive<Required<Schemas['MakePassRequest']>>({ paddock: '', name: '', uses: 1, hours: 24, labels: [], slots: 0 })
const paddocks = computed(() => (yard.yard?.paddocks ?? []).map((one) => ({ value: one.name, label: one.name })))
const { isBusy, trouble, perform } = useAction()
watch(paddocks, (there) => (wanted.paddock ||= there[0]?.value ?? ''), { immediate: true })

function make(): Promise<void> {
  return perform(async () => {
    const body = { ...wanted, name: wanted.name.trim() || `for ${wanted.paddock}` }
    emit('made', await answered(api.POST('/api/v1/passes/', { body })))
  })
}
</script>

<template>
  <details>
    <summary>New pass for unattended joins</summary>
    <form @submit.prevent="make">
      <label>Paddock<Select v-model:value="wanted.paddock" :options="paddocks" /></label>
      <label>Purpose<Input v-model:value="wanted.name" :maxlength="100" :placeholder="`for ${wanted.paddock}`" data-field="pass-name" /></label>
      <label>Uses (hosts)<InputNumber v-model:value="wanted.uses" :min="1" :max="10000" data-field="pass-uses" /></label>
      <label>Expires after (hours)<InputNumber v-model:value="wanted.hours" :min="1" :max="8784" /></label>
      <label>Labels<LabelsField v-model="wanted.labels" name="Labels" data-field="pass-labels" /></label>
      <label>Slots<InputNumber :value="wanted.slots || undefined" :min="1" :max="1000" placeholder="by cores" @update:value="(n) => (wanted.slots = Number(n ?? 0))" /></label>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <Button html-type="submit" :loading="isBusy" :disabled="!wanted.paddock">Create pass</Button>
    </form>
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
  font-weight: 600;
}

form {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px 12px;
  margin-top: 8px;
}

label {
  display: flex;
  flex-direction: column;
  font-weight: 500;
}

button {
  align-self: end;
  justify-self: start;
}

:deep(.ant-input-number) {
  width: 100%;
}
</style>
