<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useFindings } from '../watch/findings'
import { useSession } from '../people/session'
import AskAccess from '../people/AskAccess.vue'
import HostChanges from './HostChanges.vue'
import HostFacts from './HostFacts.vue'
import FindingItem from '../watch/FindingItem.vue'
import HoldButtons from '../yard/HoldButtons.vue'
import HostFolders from './HostFolders.vue'
import HostHistory from './HostHistory.vue'
import HostReadings from './HostReadings.vue'
import HostPower from '../standby/HostPower.vue'
import HostServices from './HostServices.vue'
import HostSettings from './HostSettings.vue'
import HostUse from './HostUse.vue'
import HostWork from './HostWork.vue'
import HostWeek from './HostWeek.vue'
import RetiredHost from './RetiredHost.vue'
import RetireHost from './RetireHost.vue'
import ToolTable from '../toolchains/ToolTable.vue'
import ReadinessChain from './ReadinessChain.vue'
import { systemName } from '../../kit/format'
import { memorySize } from '../../kit/units'

/** What is on this machine, and can the next job land here? */
const props = defineProps<{ name: string }>()
const session = useSession()
const findings = useFindings()
void findings.load()
const host = ref<Schemas['Host'] | null>(null)
const trouble = ref('')
const result = ref('')
const busy = ref('')

async function load(): Promise<void> {
  const asked = props.name
  try {
    const answer = await answered(api.GET('/api/v1/hosts/{name}/', { params: { path: { name: asked } } }))
    if (asked !== props.name) return
    host.value = answer
    trouble.value = ''
  } catch (error) {
    trouble.value = (error as Error).message
  }
}

const loadSoon = gathered(load)
watch(
  () => props.name,
  () => {
    host.value = null
    result.value = ''
    void load()
  },
  { immediate: true },
)
onNote((note) => {
  if (note.noun === 'everything' || (note.noun === 'host' && note.name.toLowerCase() === props.name.toLowerCase())) loadSoon()
})

const troubles = computed(() => findings.of(host.value?.name ?? ''))
const mayOperate = computed(() => session.may('operator', host.value?.paddock))
const mayDecide = computed(() => session.may('administrator', host.value?.paddock))
const isInside = computed(() => host.value?.standing === 'admitted')
const isPast = computed(() => host.value?.standing === 'retired' || host.value?.standing === 'turned away')

type Verb = 'admit' | 'resume' | 'survey' | 'restart'
const DONE: Record<Verb, string> = {
  admit: 'Admitted.',
  resume: 'It accepts jobs again.',
  restart: 'Its agent restarts when its jobs are done.',
  survey: 'Survey requested. The result appears here.',
}


function held(done: string): void {
  result.value = done
  void load()
}

async function act(verb: Verb): Promise<void> {
  busy.value = verb
  result.value = ''
  const params = { params: { path: { name: props.name } } }
  try {
    await answered(api.POST(`/api/v1/hosts/{name}/${verb}/`, params))
    result.value = DONE[verb]
    await load()
  } catch (error) {
    trouble.value = (error as Error).message
  } finally {
    busy.value = ''
  }
}
</script>

<template>
  <div class="screen">
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }} <RouterLink :to="{ name: 'yard' }">Yard</RouterLink></p>
    <template v-if="host">
      <div class="head">
        <div>
          <h1>{{ host.name }}</h1>
          <p class="soft">
            {{ host.facts.os_name || systemName(host.facts.os) }} · {{ host.facts.arch }} · {{ host.facts.cores }} cores ·
            {{ memorySize(host.facts.memory) }} · in <strong>{{ host.paddock }}</strong>
            <template v-if="host.labels.length"> · labels {{ host.labels.join(', ') }}</template> · agent {{ host.facts.agent_version }}
          </p>
        </div>
        <div class="row">
          <span class="soft" role="status">{{ result }}</span>
          <Button v-if="mayDecide && !isInside && !isPast" type="primary" :loading="busy === 'admit'" @click="act('admit')">Admit</Button>
          <template v-if="mayOperate && isInside">
            <HoldButtons v-if="!host.holding" :host="host.name" @done="held" />
            <Button v-else type="primary" :loading="busy === 'resume'" @click="act('resume')">Resume</Button>
          </template>
          <Popconfirm v-if="mayOperate && isInside && host.link === 'connected'" :title="`Restart the agent of ${host.name}? It finishes its jobs, accepts no new ones, and restarts.`" ok-text="Restart when idle" cancel-text="Cancel" @confirm="act('restart')">
            <Button :loading="busy === 'restart'" data-act="restart">Restart agent…</Button>
          </Popconfirm>
          <RouterLink v-if="mayDecide && !isPast" :to="{ name: 'bring-in', query: { name: host.name } }"><Button data-act="repair">Repair…</Button></RouterLink>
          <RetireHost v-if="mayDecide && isInside" :host="host.name" @done="load" />
          <Button v-if="mayOperate && !isPast" :disabled="host.link !== 'connected'" :loading="busy === 'survey'" @click="act('survey')">Survey now</Button>
        </div>
      </div>
      <p v-for="odd in host.suspicions" :key="odd.sentence" class="trouble odd">{{ odd.sentence }}</p>
      <RetiredHost v-if="isPast" :host="host" :may-undo="mayDecide" @done="held" />
      <ReadinessChain v-else :steps="host.conditions" />
      <HostWork v-if="host.holding" :name="host.name" />
      <section v-if="troubles.length" class="findings" aria-label="Findings"><FindingItem v-for="(one, i) in troubles" :key="one.id" :finding="one" :open="i === 0 && !one.aside" without-host /></section>
      <HostWeek :name="host.name" />
      <HostPower v-if="isInside" :name="host.name" :paddock="host.paddock" />
      <HostUse v-if="isInside" :name="host.name" />
      <HostServices v-if="!isPast" :host="host" />
      <div class="columns">
        <div>
          <HostChanges :host="host" />
          <ToolTable :host="host" />
        </div>
        <div>
          <HostFacts :host="host" />
          <HostSettings v-if="mayDecide && !isPast" :host="host" @changed="load" />
          <p v-else-if="!isPast" class="soft" data-part="who-may">An administrator of {{ host.paddock }} can change its labels, slots and services, and retire it. <AskAccess role="administrator" :paddock="host.paddock" /></p>
        </div>
      </div>
      <HostReadings :host="host" />
      <HostFolders v-if="!isPast" :host="host" />
      <HostHistory :name="host.name" />
    </template>
  </div>
</template>

<style scoped>
@media (min-width: 1100px) {
  .head > .row {
    flex: none;
  }
}

.head {
  display: flex;
  align-items: flex-start;
  justify-content: space-between;
  gap: 16px;
}

.head .soft strong {
  color: var(--ink);
  font-weight: 600;
}

.odd {
  margin-top: 8px;
  font-weight: 600;
}

.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  gap: 28px;
  margin-top: 18px;
}

@media (width < 900px) {
  .head {
    flex-direction: column;
  }

  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
.findings {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(380px, 1fr));
  gap: 0 28px;
}
</style>
