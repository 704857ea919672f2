<script setup lang="ts">
import { Button, Checkbox, InputNumber } from 'ant-design-vue'
import { computed, reactive, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { mergeSettings, type HostSettings, settingNames, showSetting } from './host-settings'
import { useAction } from '../../kit/useAction'
import { count } from '../../kit/format'
import LabelsField from '../../kit/LabelsField.vue'

/** The settings of a host. Unsaved input stays when another person saves; the form then shows what changed. */
const { host } = defineProps<{ host: Schemas['Host'] }>()
const emit = defineEmits<{ changed: [] }>()
const saved = computed<HostSettings>(() => ({ labels: [...host.labels], slots: host.slots, services: [...host.services], reserved: host.reserved }))
const wanted = reactive<HostSettings>({ ...saved.value })
const base = ref<HostSettings>(saved.value)
const theirs = ref<(keyof HostSettings)[]>([])
const { isBusy, trouble, perform } = useAction()

watch(
  () => [host.name, JSON.stringify(saved.value)] as const,
  ([name], [before]) => {
    const merged = mergeSettings(name === before ? base.value : null, wanted, saved.value)
    Object.assign(wanted, merged.wanted)
    theirs.value = merged.conflicts
    base.value = saved.value
  },
)
const changed = computed(() => settingNames.filter((name) => showSetting(wanted[name]) !== showSetting(saved.value[name])))
const isTooMany = computed(() => wanted.slots !== host.slots && host.facts.cores > 0 && wanted.slots > host.facts.cores)

function takeTheirs(): void {
  Object.assign(wanted, saved.value)
  theirs.value = []
}

function save(): Promise<void> {
  return perform(async () => {
    const body: Partial<HostSettings> = Object.fromEntries(changed.value.map((name) => [name, wanted[name]]))
    await answered(api.PATCH('/api/v1/hosts/{name}/', { params: { path: { name: host.name } }, body: { ...body, accept_slots: isTooMany.value } }))
    theirs.value = []
    emit('changed')
  })
}
</script>

<template>
  <section>
    <h2>Settings</h2>
    <label>Labels<LabelsField v-model="wanted.labels" name="Labels" data-field="labels" /></label>
    <label>Slots<InputNumber v-model:value="wanted.slots" :min="1" :max="1000" data-field="slots" /></label>
    <p v-if="isTooMany" class="warning" role="status">{{ host.name }} has {{ count(host.facts.cores, 'core') }}, so {{ wanted.slots }} parallel jobs would slow each other down. Suggested: {{ host.suggested_slots }}. <Button size="small" @click="wanted.slots = host.suggested_slots">Use {{ host.suggested_slots }}</Button></p>
    <label>Services<LabelsField v-model="wanted.services" name="Services" placeholder="same as the paddock" data-field="services" /></label>
    <Checkbox v-model:checked="wanted.reserved" data-field="reserved">Reserved: only jobs that ask for one of its labels</Checkbox>
    <div v-if="changed.length && theirs.length" class="warning" role="status">
      <p v-for="name in theirs" :key="name">Another person changed the {{ name }} while you were typing: <b class="machine">{{ showSetting(saved[name]) || 'none' }}</b></p>
      <Button size="small" @click="takeTheirs">Discard mine</Button>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="changed.length" class="row">
      <Button type="primary" :loading="isBusy" data-act="save-settings" @click="save">{{ isTooMany ? `Save ${wanted.slots} slots anyway` : theirs.length ? 'Save mine' : 'Save' }}</Button>
      <Button :disabled="isBusy" @click="takeTheirs">Cancel</Button>
    </p>
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

.warning {
  padding: 6px 8px;
  background: var(--rust-pale);
}

.row {
  display: flex;
  gap: 8px;
}
</style>
