<script setup lang="ts">
import { Button, Drawer, Input, InputNumber, Popconfirm, Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../api/client'
import { onNote } from '../api/feed'
import { useYard } from '../api/yard'
import CopyText from './CopyText.vue'
import { useDoing } from './doing'
import { onKeys } from './keys'
import TimeAgo from './TimeAgo.vue'
import { count, duration } from './wording'

/** Make an entry pass, copy the commands for the machine, and see which passes are about. */
const open = defineModel<boolean>('open', { required: true })
const yard = useYard()

const paddock = ref<string | undefined>()
const newPaddock = ref('')
const name = ref('')
const labels = ref<string[]>([])
const uses = ref(1)
const hours = ref(24)
const made = ref<Schemas['NewPass'] | null>(null)
const passes = ref<Schemas['Pass'][]>([])
const { isBusy, trouble, doing } = useDoing()

const paddocks = computed(() => (yard.yard?.paddocks ?? []).map((one) => ({ value: one.name, label: one.name })))
const bringUp = ref<Schemas['BringUp'] | null>(null)
// The pass goes through the environment: what stands on a command line stands in the list of processes.
const passCommand = computed(() => `export PADDOCK_PASS=${made.value?.secret ?? ''}`)
const fetchCommand = computed(() =>
  bringUp.value ? `curl -fsSO ${bringUp.value.script} && echo '${bringUp.value.sha256}  paddock.sh' | sha256sum -c -` : '',
)
const PREREQUISITES = [
  'Linux with systemd, x86-64 or arm64; or macOS, where the agent is started by hand',
  'Python 3.11, 3.12 or 3.13, where every account can read it; pip is not needed',
  'root, or sudo; 200 MB of disk at /opt; a clock within a minute of this server’s',
]
const usable = computed(() =>
  passes.value.filter((one) => !one.revoked_at && one.used < one.uses && Date.parse(one.ends_at) > Date.now()),
)

async function loadBringUp(): Promise<void> {
  bringUp.value = await answered(api.GET('/api/v1/bring-up/'))
}

async function loadPasses(): Promise<void> {
  try {
    passes.value = (await answered(api.GET('/api/v1/passes/'))).results
  } catch (error) {
    trouble.value = (error as Error).message
  }
}

watch(open, (isOpen) => {
  if (!isOpen) return
  made.value = null
  trouble.value = ''
  paddock.value ??= paddocks.value[0]?.value
  void loadPasses()
  void doing(loadBringUp)
})
// The form gives way to the pass, and with it the focus is gone: Escape closes all the same.
onKeys({ Escape: () => (open.value = false) })
onNote((note) => {
  if (open.value && note.noun === 'pass') void loadPasses()
})

function makePaddock(): Promise<void> {
  return doing(async () => {
    await answered(api.POST('/api/v1/paddocks/', { body: { name: newPaddock.value.trim() } }))
    await yard.load()
    paddock.value = newPaddock.value.trim()
    newPaddock.value = ''
  })
}

function makePass(): Promise<void> {
  return doing(async () => {
    const body = {
      paddock: paddock.value ?? '',
      name: name.value.trim() || `for ${paddock.value}`,
      labels: labels.value,
      uses: uses.value,
      hours: hours.value,
      slots: 0,
    }
    made.value = await answered(api.POST('/api/v1/passes/', { body }))
    await loadPasses()
  })
}

function replace(one: Schemas['Pass']): Promise<void> {
  return doing(async () => {
    made.value = await answered(api.POST('/api/v1/passes/{id}/replace/', { params: { path: { id: one.id } } }))
    await loadPasses()
  })
}

function revoke(one: Schemas['Pass']): Promise<void> {
  return doing(async () => {
    await answered(api.POST('/api/v1/passes/{id}/revoke/', { params: { path: { id: one.id } } }))
    await loadPasses()
  })
}

function ends(moment: string): string {
  return `ends in ${duration((Date.parse(moment) - Date.now()) / 1000)}`
}
</script>

<template>
  <Drawer v-model:open="open" title="Bring in a host" width="520">
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <form v-if="!made" @submit.prevent="makePass">
      <p class="soft">A pass lets an agent ask to join one paddock. What joins stands at the gate until you let it in.</p>
      <label>Paddock<Select v-model:value="paddock" :options="paddocks" placeholder="There is none yet: make one below" /></label>
      <div class="row new">
        <Input v-model:value="newPaddock" placeholder="A new paddock, as shoreline" aria-label="Name of a new paddock" :maxlength="63" />
        <Button :disabled="!newPaddock.trim()" @click="makePaddock">Make it</Button>
      </div>
      <label>What the pass is for<Input v-model:value="name" :maxlength="100" :placeholder="`for ${paddock ?? 'a paddock'}`" /></label>
      <label>Labels for the hosts that join with it<Select v-model:value="labels" mode="tags" :token-separators="[',', ' ']" :open="false" placeholder="bench-rig" /></label>
      <div class="row">
        <label>Good for<InputNumber v-model:value="uses" :min="1" :max="10000" addon-after="hosts" /></label>
        <label>Ends after<InputNumber v-model:value="hours" :min="1" :max="8784" addon-after="hours" /></label>
      </div>
      <Button type="primary" html-type="submit" :loading="isBusy" :disabled="!paddock">Make the pass</Button>
    </form>
    <section v-else>
      <p><strong>Here is the pass.</strong> It is shown this once: the server keeps only its hash.</p>
      <template v-if="bringUp?.agent_version">
        <h2>What the machine needs</h2>
        <ul>
          <li v-for="one in PREREQUISITES" :key="one">{{ one }}</li>
        </ul>
        <h2>1 · In a shell on the machine: the pass</h2>
        <CopyText :text="passCommand" />
        <h2>2 · The script, and whether it came whole</h2>
        <CopyText :text="fetchCommand" />
        <h2>3 · Look first what it finds and would do; then let it</h2>
        <CopyText text="sudo --preserve-env=PADDOCK_PASS sh paddock.sh --dry-run" />
        <CopyText class="second" text="sudo --preserve-env=PADDOCK_PASS sh paddock.sh" />
        <h2>4 · Let it in</h2>
        <p>It appears at the gate, in the yard, as soon as it has joined.</p>
      </template>
      <p v-else class="trouble">This server has no packages to hand out: `make wheels` gathers them. The agent has to be installed by hand.</p>
      <h2>The pass alone</h2>
      <CopyText :text="made.secret" />
      <p class="again"><Button @click="made = null">Make another</Button></p>
    </section>
    <section class="passes">
      <h2>Passes that are good now</h2>
      <p v-if="!usable.length" class="soft">None: nobody can join.</p>
      <table v-else class="plain-table">
        <tbody>
          <tr v-for="one in usable" :key="one.id">
            <td>{{ one.name }}<br /><span class="soft">{{ one.paddock }} · by {{ one.made_by }}, <TimeAgo :at="one.made_at" /></span></td>
            <td>
              {{ count(one.uses - one.used, 'use') }} left<br /><span class="soft">{{ ends(one.ends_at) }}</span>
              <span v-if="one.hosts.length" class="soft"><br />used by {{ one.hosts.join(', ') }}</span>
            </td>
            <td class="acts">
              <Button size="small" title="A fresh pass of the same kind; this one dies at once" @click="replace(one)">Replace</Button>
              <Popconfirm :title="`Revoke “${one.name}”? Nobody can join with it any more; hosts that have joined stay.`" ok-text="Revoke it" cancel-text="Leave it" @confirm="revoke(one)">
                <Button size="small">Revoke…</Button>
              </Popconfirm>
            </td>
          </tr>
        </tbody>
      </table>
    </section>
  </Drawer>
</template>

<style scoped>
form label {
  display: flex;
  flex-direction: column;
  gap: 2px;
  margin: 10px 0;
  font-weight: 500;
}

form > .row {
  flex-wrap: nowrap;
  margin-bottom: 12px;
}

form > .new {
  margin-top: -4px;
}

section h2 {
  margin: 14px 0 4px;
}

.second {
  margin-top: 6px;
}

ul {
  margin: 0;
  padding-left: 18px;
}

.again {
  margin-top: 12px;
}

.acts {
  white-space: nowrap;
}

.acts button + button {
  margin-left: 6px;
}

.passes {
  margin-top: 26px;
  padding-top: 4px;
  border-top: 1px solid var(--fence);
}
</style>
