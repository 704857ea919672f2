<script setup lang="ts">
import { Button, Checkbox, Input, InputNumber, Popconfirm } from 'ant-design-vue'
import { computed, reactive, ref, watch } from 'vue'
import { energy, modeLabel, verbs, type HostPower } from './standby'
import { answered, api } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import ChoiceField from '../../kit/ChoiceField.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { duration } from '../../kit/format'

/** Is this machine on, may it sleep, and what wakes it? */
const props = defineProps<{ name: string; paddock: string }>()
const session = useSession()
const shown = ref<HostPower | null>(null)
const loadTrouble = ref('')
const { isBusy, trouble, perform } = useAction()
const params = computed(() => ({ params: { path: { name: props.name } } }))

async function load(): Promise<void> {
  try {
    shown.value = await answered(api.GET('/api/v1/hosts/{name}/power/', params.value))
    loadTrouble.value = ''
  } catch (error) {
    loadTrouble.value = (error as Error).message
  }
}
const soon = gathered(load)
onNote((note) => {
  if (note.noun === 'everything' || note.noun === 'standby policy' || (note.noun === 'host' && note.name === props.name)) soon()
})
watch(() => props.name, load, { immediate: true })

const mayOperate = computed(() => session.may('operator', props.paddock))
const mayChange = computed(() => session.may('administrator', props.paddock))
const TITLES = { wake: 'Wake', 'power-down': 'Power down', 'count-again': 'Count on it again' }
const watts = computed(() => shown.value?.settings.watts ?? 0)
const wattsAsleep = computed(() => shown.value?.settings.watts_asleep ?? 0)
const last = computed(() => shown.value?.wakes[0])
const state = computed(() => (shown.value?.power === 'on' ? 'On' : (shown.value?.power ?? '').replace(/^./, (letter) => letter.toUpperCase())))

function act(verb: 'wake' | 'power-down' | 'count-again'): Promise<void> {
  return perform(async () => {
    shown.value = await answered(api.POST(`/api/v1/hosts/{name}/${verb}/`, params.value))
  })
}

const wanted = reactive({ way: 'wake-on-lan', hardware: '', may_power_down: false, watts: null as number | null, watts_asleep: null as number | null })
const isOpen = ref(false)
function edit(): void {
  if (shown.value) Object.assign(wanted, shown.value.settings)
  isOpen.value = true
}
function save(): Promise<void> {
  return perform(async () => {
    shown.value = await answered(api.PUT('/api/v1/hosts/{name}/power/', { ...params.value, body: { ...wanted, way: wanted.way as HostPower['settings']['way'] } }))
    isOpen.value = false
  })
}
</script>

<template>
  <section v-if="shown" aria-label="Power" data-part="power">
    <h2>Power</h2>
    <p v-if="loadTrouble" class="trouble" role="alert">{{ loadTrouble }}</p>
    <p data-part="power-state">
      <strong>{{ state }}</strong><template v-if="shown.power_since"> since <TimeAgo :at="shown.power_since" />. {{ shown.power_cause }}</template><template v-else>.</template>
      {{ ' ' }}<span class="soft">{{ shown.policy ? `By the policy of ${shown.policy.host || shown.policy.paddock} it ${modeLabel(shown.mode)}.` : 'No standby policy.' }}<template v-if="shown.power !== 'on'"> A wake usually takes {{ duration(shown.wake_seconds) }}.</template></span>
    </p>
    <div class="row">
      <template v-if="mayOperate">
        <template v-for="verb in verbs(shown)" :key="verb">
          <Popconfirm v-if="verb === 'power-down'" :title="`Power ${name} down? It can be woken again.`" ok-text="Power down" cancel-text="Cancel" :disabled="!!shown.stays" @confirm="act(verb)">
            <Button size="small" :loading="isBusy" :disabled="!!shown.stays" :data-act="verb">{{ TITLES[verb] }}…</Button>
          </Popconfirm>
          <Button v-else size="small" :type="verb === 'wake' ? 'primary' : 'default'" :loading="isBusy" :data-act="verb" @click="act(verb)">{{ TITLES[verb] }}</Button>
        </template>
      </template>
      <Button v-if="mayChange && !isOpen" size="small" data-act="edit-power" @click="edit">Change…</Button>
    </div>
    <p v-if="shown.power === 'on' && shown.stays" class="soft" data-part="stays">{{ shown.stays }}</p>
    <form v-if="isOpen" class="form" @submit.prevent="save">
      <label class="field">Woken by<ChoiceField v-model:value="wanted.way" :options="[{ value: 'wake-on-lan', label: 'a packet over the network' }, { value: 'by hand', label: 'a person' }]" data-field="way" /></label>
      <label v-if="wanted.way === 'wake-on-lan'" class="field">Hardware address<Input v-model:value="wanted.hardware" :maxlength="40" :placeholder="shown.hardware_known.join(', ') || '00:1b:44:11:3a:b7'" data-field="hardware" /></label>
      <span data-field="may-power-down"><Checkbox v-model:checked="wanted.may_power_down">The server may power it down</Checkbox></span>
      <label class="field">Watts when idle<InputNumber :value="wanted.watts ?? undefined" :min="0" data-field="watts" @change="(value) => (wanted.watts = value === null || value === '' ? null : Number(value))" /></label>
      <label class="field">Watts asleep<InputNumber :value="wanted.watts_asleep ?? undefined" :min="0" @change="(value) => (wanted.watts_asleep = value === null || value === '' ? null : Number(value))" /></label>
      <div class="row"><Button html-type="submit" type="primary" size="small" :loading="isBusy" data-act="save-power">Save</Button><Button size="small" @click="isOpen = false">Cancel</Button></div>
    </form>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <details v-if="last" :open="last.worked === null">
      <summary>Last wake: <TimeAgo :at="last.at" />, {{ last.worked === null ? 'under way' : last.worked ? 'it woke' : 'it did not wake' }}</summary>
      <ol class="tries"><li v-for="(one, at) in last.tried" :key="at">{{ one.what }} <span class="soft"><TimeAgo :at="new Date(one.at * 1000).toISOString()" /></span></li></ol>
    </details>
    <p v-if="watts" class="soft">Draws {{ watts }} W when idle, {{ wattsAsleep }} W asleep: {{ energy(((watts - wattsAsleep) * 24) / 1000) }} a day less.</p>
  </section>
</template>

<style scoped>
h2 {
  margin: 18px 0 4px;
}

.form {
  display: flex;
  flex-direction: column;
  gap: 8px;
  max-width: 320px;
  margin-top: 10px;
}

.field {
  display: flex;
  flex-direction: column;
  gap: 2px;
}

.tries {
  margin: 4px 0;
  padding-left: 18px;
}
</style>
