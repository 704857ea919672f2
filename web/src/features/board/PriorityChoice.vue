<script setup lang="ts">
import { Select } from 'ant-design-vue'
import { computed } from 'vue'
import { answered, api } from '../../api/client'
import { useAction } from '../../kit/useAction'
import { PRIORITIES, priorityWord } from './priorities'

/** A waiting job's priority, changed in place. */
const props = defineProps<{ job: number; priority: number }>()
const emit = defineEmits<{ changed: [] }>()
const { isBusy, trouble, perform } = useAction()

const options = computed(() => {
  const known = PRIORITIES.map(([word, value]) => ({ value, label: word }))
  return known.some(({ value }) => value === props.priority) ? known : [...known, { value: props.priority, label: priorityWord(props.priority) }]
})

function change(priority: unknown): Promise<void> {
  return perform(async () => {
    await answered(api.PATCH('/api/v1/jobs/{id}/', { params: { path: { id: props.job } }, body: { priority: Number(priority) } }))
    emit('changed')
  })
}
</script>

<template>
  <label class="priority">
    <span class="soft">Priority</span>
    <Select :value="priority" :options="options" :loading="isBusy" size="small" aria-label="Priority" :dropdown-match-select-width="false" @change="change" />
  </label>
  <span v-if="trouble" class="trouble" role="alert">{{ trouble }}</span>
</template>

<style scoped>
.priority {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}
</style>
