<script setup lang="ts">
import { Button, Input, InputNumber, Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { FORMS, begun, formOf, missing } from './changes'
import type { Change } from './plan'
import { allRows, api } from '../../api/client'
import { useYard } from '../yard/yard'
import ChoiceField from '../../kit/ChoiceField.vue'

/** One change to rehearse: its kind, and what it is about. */
const props = defineProps<{ pipelines: string[]; terms: string[] }>()
const emit = defineEmits<{ add: [change: Change] }>()
const yard = useYard()
const kind = ref('add hosts')
const form = computed(() => formOf(kind.value))
const change = ref<Change>(begun(form.value))
watch(form, (next) => (change.value = begun(next)))
const gap = computed(() => missing(form.value, change.value))
const hosts = computed(() => yard.plates.filter((one) => one.standing === 'admitted').map((one) => ({ value: one.name, label: `${one.name} · ${one.paddock}` })))
const paddocks = computed(() => [...new Set(yard.plates.map((one) => one.paddock))].sort().map((value) => ({ value, label: value })))
const listed = (names: string[]) => names.map((value) => ({ value, label: value }))
const kinds = FORMS.map((one) => ({ value: one.kind, label: one.title }))

function set(name: string, value: unknown): void {
  change.value = { ...change.value, [name]: value } as Change
}

const kits = ref<string[]>([])
const windows = ref<string[]>([])
watch(kind, async (next) => {
  // Without them the field stays empty, and the form says what is missing.
  const names = next === 'meet a kit' ? allRows((query) => api.GET('/api/v1/kits/', { params: { query } })).then((rows) => (kits.value = rows.map((one) => one.name))) : next === 'move a window' ? allRows((query) => api.GET('/api/v1/maintenance-windows/', { params: { query } })).then((rows) => (windows.value = [...new Set(rows.map((one) => one.what))])) : null
  await names?.catch(() => [])
})

const text = (name: string) => String(change.value[name] ?? '')
const list = (name: string) => (change.value[name] as string[] | undefined) ?? []

function add(): void {
  if (gap.value) return
  emit('add', change.value)
  change.value = begun(form.value)
}

const withEmpty = (options: { value: string; label: string }[]) => [{ value: '', label: 'choose…' }, ...options]
const options = computed(() => ({ host: withEmpty(hosts.value), pipeline: withEmpty(listed(props.pipelines)), paddock: withEmpty(paddocks.value), term: withEmpty(listed(props.terms)), kit: withEmpty(listed(kits.value)), window: withEmpty(listed(windows.value)) }))
</script>

<template>
  <form class="change" @submit.prevent="add">
    <label class="field">Change<ChoiceField v-model:value="kind" :options="kinds" data-field="kind" /></label>
    <label v-for="field in form.fields" :key="kind + field.name" class="field" :data-field="field.name">
      {{ field.title }}
      <ChoiceField v-if="field.type === 'host' || field.type === 'pipeline' || field.type === 'paddock' || field.type === 'term' || field.type === 'kit' || field.type === 'window'" :value="text(field.name)" :options="options[field.type]" @update:value="(value: string) => set(field.name, value)" />
      <Select v-else-if="field.type === 'hosts' || field.type === 'pipelines' || field.type === 'labels'" :mode="field.type === 'labels' ? 'tags' : 'multiple'" :value="list(field.name)" :options="field.type === 'hosts' ? hosts : field.type === 'pipelines' ? listed(pipelines) : []" @change="(value) => set(field.name, value)" />
      <InputNumber v-else-if="field.type === 'number'" :value="Number(change[field.name])" :min="field.min" :max="field.max" :step="field.step ?? 1" @change="(value) => set(field.name, value === null ? '' : Number(value))" />
      <ChoiceField v-else-if="field.type === 'reserved'" :value="change[field.name] ? 'yes' : 'no'" :options="[{ value: 'yes', label: 'reserved' }, { value: 'no', label: 'open' }]" @update:value="(value: string) => set(field.name, value === 'yes')" />
      <Input v-else :value="text(field.name)" :maxlength="100" @update:value="(value: string) => set(field.name, value)" />
    </label>
    <Button html-type="submit" :disabled="!!gap" :title="gap" data-act="add-change">Add this change</Button>
  </form>
</template>

<style scoped>
.change {
  display: flex;
  flex-direction: column;
  gap: 8px;
}

.change .field {
  display: flex;
  flex-direction: column;
  gap: 2px;
}
</style>
