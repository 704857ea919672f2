<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import { commandOf, keepCommand } from './issued-command'
import OverSsh from './OverSsh.vue'
import SheetCommand from './SheetCommand.vue'
import SheetFacts from './SheetFacts.vue'
import StepLadder from './StepLadder.vue'

/** How far is this machine, and what keeps it? From the command to the proof job. */
const props = defineProps<{ id: string }>()
const session = useSession()
const sheet = ref<Schemas['BringUp'] | null>(null)
const host = ref<Schemas['Host'] | null>(null)
const issued = ref(0)
const command = computed(() => (issued.value >= 0 ? commandOf(sheet.value) : null))
const publicKey = ref('')
const log = ref('')
const { isBusy, trouble, perform } = useAction()

const mayDecide = computed(() => session.may('administrator', sheet.value?.paddock))
const isOpen = computed(() => sheet.value !== null && !['finished', 'given up'].includes(sheet.value.phase))
const path = computed(() => ({ id: Number(props.id) }))
const step = (name: string) => sheet.value?.steps.find((one) => one.step === name)
const isAtGate = computed(() => host.value?.standing === 'at the gate')

async function load(): Promise<void> {
  const asked = props.id
  await perform(async () => {
    const fresh = await answered(api.GET('/api/v1/bring-ups/{id}/', { params: { path: { id: Number(asked) } } }))
    if (asked !== props.id) return
    sheet.value = fresh
    host.value = fresh.host ? await answered(api.GET('/api/v1/hosts/{name}/', { params: { path: { name: fresh.host } } })).catch(() => null) : null
    if (fresh.proof && step('prove')?.state !== 'waits') {
      log.value = await answered(api.GET('/api/v1/jobs/{id}/log/', { params: { path: { id: fresh.proof } }, parseAs: 'text' })).catch(() => '') as string
    }
  })
}

const loadSoon = gathered(load)
watch(
  () => props.id,
  () => {
    sheet.value = null
    log.value = ''
    void load()
  },
  { immediate: true },
)
onNote((note) => {
  // What the sheet does not know yet may be known by now: its host, its proof job.
  const isMine = {
    'bring-up': note.name === props.id,
    host: !sheet.value?.host || note.name === sheet.value.host,
    job: !sheet.value?.proof || note.name === String(sheet.value.proof),
    everything: true,
  }
  if (isMine[note.noun as keyof typeof isMine]) loadSoon()
})
void perform(async () => {
  publicKey.value = (await answered(api.GET('/api/v1/bring-up-choices/'))).public_key
})

function renewed(made: Schemas['NewBringUp']): void {
  keepCommand(made)
  issued.value += 1
  sheet.value = made.sheet
}

function act(work: () => Promise<unknown>): Promise<void> {
  return perform(work).then(() => (trouble.value ? undefined : load()))
}

function admit(): Promise<void> {
  return act(() => answered(api.POST('/api/v1/hosts/{name}/admit/', { params: { path: { name: host.value?.name ?? '' } } })))
}

function prove(): Promise<void> {
  return act(() => answered(api.POST('/api/v1/bring-ups/{id}/prove/', { params: { path: path.value } })))
}

function giveUp(): Promise<void> {
  return act(() => answered(api.POST('/api/v1/bring-ups/{id}/give-up/', { params: { path: path.value } })))
}
</script>

<template>
  <div class="screen">
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }} <RouterLink :to="{ name: 'bring-in' }">Back to expected machines</RouterLink></p>
    <template v-if="sheet">
      <div class="head">
        <div>
          <h1>{{ sheet.host ?? sheet.title }} <span class="soft">{{ sheet.phase === 'finished' ? 'joined' : 'joining' }} {{ sheet.paddock }}</span></h1>
          <p class="sentence" :class="{ trouble: sheet.phase === 'failed' || sheet.phase === 'cut off', well: sheet.phase === 'finished' }" role="status" :data-phase="sheet.phase">{{ sheet.sentence }}</p>
        </div>
        <div class="row">
          <RouterLink v-if="sheet.host" :to="{ name: 'host', params: { name: sheet.host } }">Open the host</RouterLink>
          <Popconfirm v-if="mayDecide && isOpen && !sheet.host" :title="`Give up the bring-up of ${sheet.title}? The pass in its command is revoked.`" ok-text="Give up" cancel-text="Keep waiting" @confirm="giveUp">
            <Button>Give up…</Button>
          </Popconfirm>
        </div>
      </div>
      <div class="columns">
        <div>
          <StepLadder :sheet="sheet">
            <template #fetch="{ row }">
              <div v-if="row.state !== 'done' && isOpen && mayDecide" class="begin">
                <SheetCommand :sheet="sheet" :command="command" @renewed="renewed" />
              </div>
            </template>
            <template #admit="{ row }">
              <div v-if="isAtGate && host" class="row">
                <strong v-for="odd in host.suspicions" :key="odd.sentence" class="trouble">{{ odd.sentence }}</strong>
                <Button v-if="mayDecide" :type="row.state === 'now' ? 'primary' : 'default'" :loading="isBusy" @click="admit">Admit {{ host.name }}</Button>
              </div>
            </template>
            <template #prove="{ row }">
              <p v-if="sheet.proof"><RouterLink :to="{ name: 'board', params: { id: String(sheet.proof) } }">Job {{ sheet.proof }}</RouterLink></p>
              <pre v-if="log" class="log">{{ log }}</pre>
              <Button v-if="mayDecide && row.state === 'failed'" :loading="isBusy" @click="prove">Send the proof job again</Button>
            </template>
          </StepLadder>
        </div>
        <aside>
          <SheetFacts :sheet="sheet" />
          <OverSsh v-if="isOpen && mayDecide && !sheet.host && sheet.system !== 'windows'" :key="sheet.id" :sheet="sheet" :public-key="publicKey" @begun="load" />
          <SheetCommand v-if="isOpen && mayDecide && !sheet.host && step('fetch')?.state === 'done'" :sheet="sheet" :command="command" @renewed="renewed" />
        </aside>
      </div>
    </template>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: flex-start;
  justify-content: space-between;
  gap: 16px;
  margin-bottom: 16px;
}

h1 .soft {
  font-weight: 400;
}

.sentence {
  font-size: 15px;
  font-weight: 500;
}

.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  gap: 36px;
}

.begin {
  display: flex;
  flex-direction: column;
  gap: 14px;
  margin-top: 8px;
}

aside {
  display: flex;
  flex-direction: column;
  gap: 22px;
}

.log {
  max-height: 300px;
  margin: 6px 0 0;
  padding: 8px 10px;
  overflow: auto;
  border-radius: 4px;
  background: var(--code);
  color: var(--code-ink);
  color-scheme: dark;
}

@media (width < 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
