<script setup lang="ts">
import { Button, Checkbox, InputNumber, Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../api/client'
import { useDoing } from './doing'

/** What people decide about a host: labels, slots, whether it is reserved, and which services are watched beyond those of its paddock. */
const props = defineProps<{ host: Schemas['Host'] }>()
const emit = defineEmits<{ changed: [] }>()
const labels = ref<string[]>([])
const slots = ref(1)
const services = ref<string[]>([])
const reserved = ref(false)
const { isBusy, trouble, doing } = useDoing()

watch(
  () => props.host.name + props.host.labels.join() + props.host.slots + props.host.services.join() + props.host.reserved,
  () => {
    labels.value = [...props.host.labels]
    slots.value = props.host.slots
    services.value = [...props.host.services]
    reserved.value = props.host.reserved
  },
  { immediate: true },
)
const isChanged = computed(() => labels.value.join() !== props.host.labels.join() || slots.value !== props.host.slots || services.value.join() !== props.host.services.join() || reserved.value !== props.host.reserved)

function save(): Promise<void> {
  return doing(async () => {
    const path = { name: props.host.name }
    await answered(api.PATCH('/api/v1/hosts/{name}/', { params: { path }, body: { labels: labels.value, slots: slots.value, services: services.value, reserved: reserved.value } }))
    emit('changed')
  })
}
</script>

<template>
  <section>
    <h2>Settings</h2>
    <label>Labels<Select v-model:value="labels" mode="tags" :token-separators="[',', ' ']" :open="false" placeholder="none" /></label>
    <label>Slots<InputNumber v-model:value="slots" :min="1" :max="1000" /></label>
    <label>Services<Select v-model:value="services" mode="tags" :token-separators="[',', ' ']" :open="false" placeholder="those of the paddock" /></label>
    <Checkbox v-model:checked="reserved" data-field="reserved">Reserved: only jobs that ask for one of its labels</Checkbox>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <Button v-if="isChanged" type="primary" :loading="isBusy" @click="save">Save</Button>
  </section>
</template>

<style scoped>
section {
  margin-top: 18px;
}

label:not(.ant-checkbox-wrapper) {
  display: grid;
  grid-template-columns: 60px 1fr;
  align-items: center;
  margin: 6px 0;
  color: var(--ink-soft);
}
</style>
