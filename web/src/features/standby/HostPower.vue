<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import PowerSettingsForm from './PowerSettingsForm.vue'
import { drawOf, energy, modeLabel, verbs, type HostPower, type Verb } from './standby'
import { answered, api } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
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
const TITLES: Record<Verb, string> = { wake: 'Wake', 'power-down': 'Power down', 'count-again': 'Count on it again', 'switch-off': 'Cut its power' }
const draw = computed(() => drawOf(shown.value))
const last = computed(() => shown.value?.wakes[0])
const state = computed(() => (shown.value?.power === 'on' ? 'On' : (shown.value?.power ?? '').replace(/^./, (letter) => letter.toUpperCase())))

function act(verb: Verb): Promise<void> {
  return perform(async () => {
    shown.value = await answered(api.POST(`/api/v1/hosts/{name}/${verb}/`, params.value))
  })
}

const isOpen = ref(false)
function saved(power: HostPower): void {
  shown.value = power
  isOpen.value = false
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
      <template v-for="verb in verbs(shown)" :key="verb">
        <template v-if="verb === 'count-again' || verb === 'switch-off' ? mayOperate : shown.may_change">
          <Popconfirm v-if="verb === 'power-down'" :title="`Power ${name} down? It can be woken again.`" ok-text="Power down" cancel-text="Cancel" :disabled="!!shown.stays" @confirm="act(verb)">
            <Button size="small" :loading="isBusy" :disabled="!!shown.stays" :data-act="verb">{{ TITLES[verb] }}…</Button>
          </Popconfirm>
          <Popconfirm v-else-if="verb === 'switch-off'" :title="`Cut the power of ${name} by its controller? Its system gets no time to shut down. Do this where it hangs.`" ok-text="Cut the power" cancel-text="Cancel" @confirm="act(verb)">
            <Button size="small" danger :loading="isBusy" :data-act="verb">{{ TITLES[verb] }}…</Button>
          </Popconfirm>
          <Button v-else size="small" :type="verb === 'wake' ? 'primary' : 'default'" :loading="isBusy" :data-act="verb" @click="act(verb)">{{ TITLES[verb] }}</Button>
        </template>
      </template>
      <Button v-if="mayChange && !isOpen" size="small" data-act="edit-power" @click="isOpen = true">Change…</Button>
    </div>
    <p v-if="shown.power === 'on' && shown.stays" class="soft" data-part="stays">{{ shown.stays }}</p>
    <p v-if="shown.settings.refused" class="trouble" data-part="refused">{{ shown.settings.refused }}</p>
    <PowerSettingsForm v-if="isOpen" :power="shown" @saved="saved" @cancel="isOpen = false" />
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <details v-if="last" :open="last.worked === null">
      <summary>Last wake: <TimeAgo :at="last.at" />, {{ last.worked === null ? 'under way' : last.worked ? 'it woke' : 'it did not wake' }}</summary>
      <ol class="tries"><li v-for="(one, at) in last.tried" :key="at">{{ one.what }} <span class="soft"><TimeAgo :at="new Date(one.at * 1000).toISOString()" /></span></li></ol>
    </details>
    <p v-if="draw" class="soft" data-part="draw">Draws {{ draw.on }} W when idle, {{ draw.asleep }} W asleep{{ draw.isMeasured ? ', as its controller measured' : '' }}: {{ energy(draw.aDay) }} a day less.</p>
  </section>
</template>

<style scoped>
h2 {
  margin: 18px 0 4px;
}

.tries {
  margin: 4px 0;
  padding-left: 18px;
}
</style>
