<script setup lang="ts">
import { Button, Input, Popconfirm, Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answered, api, type Schemas } from '../../api/client'
import { onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import MachineText from '../../kit/MachineText.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count } from '../../kit/format'

/** How is each tool found, and how is that changed without breaking every survey? */
defineProps<{ hosts: string[] }>()
const NEW = 'name: tide-sdk\ntitle: Tide SDK\nkind: other\ncommands: [tide]\nask: [--version]\nreads: ["tide {version}"]\nlinux: {folders: [/opt/tide*/bin]}\n'
const session = useSession()
const route = useRoute()
const router = useRouter()
const { isBusy, trouble, perform } = useAction()
const catalogue = ref<Schemas['Catalogue'] | null>(null)
const definition = ref<Schemas['Definition'] | null>(null)
const sought = ref('')
const text = ref('')
const note = ref('')
const onto = ref<string[]>([])
const isNew = ref(false)
const mayChange = computed(() => session.may('administrator'))
const name = computed(() => (isNew.value ? (/^name:\s*(\S+)/m.exec(text.value)?.[1] ?? '') : String(route.query.tool ?? '')))
const newest = computed(() => definition.value?.edits[0] ?? null)
const isDraft = computed(() => newest.value !== null && newest.value.release === null)
const shown = computed(() => (catalogue.value?.tools ?? []).filter((one) => `${one.name} ${one.title} ${one.kind}`.toLowerCase().includes(sought.value.trim().toLowerCase())))
const behind = computed(() => Object.entries(catalogue.value?.behind ?? {}))

async function load(): Promise<void> {
  catalogue.value = await answered(api.GET('/api/v1/catalogue/'))
}
void perform(load)

/** The draft stays until another definition is chosen. */
async function look(keep = false): Promise<void> {
  if (!name.value) return
  definition.value = await answered(api.GET('/api/v1/catalogue/{name}/', { params: { path: { name: name.value } } }))
  if (!keep) text.value = isDraft.value ? (newest.value?.text ?? '') : definition.value.text
}
watch(
  () => route.query.tool,
  () => {
    isNew.value = false
    definition.value = null
    void perform(look)
  },
  { immediate: true },
)
onNote((one) => {
  if (one.noun === 'trial' && one.name === name.value) void perform(() => look(true))
  if (one.noun === 'catalogue') void perform(load)
})

function open(tool: string): void {
  void router.replace({ query: { view: 'catalogue', tool } })
}

function begin(): void {
  isNew.value = true
  definition.value = null
  text.value = NEW
}

async function keep(body: string): Promise<void> {
  await perform(async () => {
    const path = { name: name.value }
    definition.value = await answered(api.POST('/api/v1/catalogue/{name}/', { params: { path }, body: { text: body, note: note.value } }))
    note.value = ''
    if (isNew.value) {
      isNew.value = false
      open(path.name)
    }
    await load()
  })
}

async function tryIt(): Promise<void> {
  await perform(async () => {
    if (!newest.value) return
    const path = { name: name.value, number: newest.value.number }
    await answered(api.POST('/api/v1/catalogue/{name}/{number}/try/', { params: { path }, body: { hosts: onto.value } }))
    await look(true)
  })
}

async function release(): Promise<void> {
  await perform(async () => {
    if (!newest.value) return
    await answered(api.POST('/api/v1/catalogue/{name}/{number}/release/', { params: { path: { name: name.value, number: newest.value.number } } }))
    await Promise.all([look(), load()])
  })
}

function foundSaid(trial: Schemas['Trial']): string {
  if (!trial.answered_at) return 'requested …'
  if (trial.why) return trial.why
  const found = trial.found.map((one) => `${String(one.version)} at ${String(one.path)}`)
  const broken = trial.broken.map((one) => `broken: ${String(one.why)}`)
  return [...found, ...broken].join(' · ') || 'not found'
}
</script>

<template>
  <section class="halves" aria-label="Catalogue">
    <div>
      <p class="soft">
        {{ count(catalogue?.tools.length ?? 0, 'tool') }}<template v-if="catalogue?.number">, release {{ catalogue.number }}</template>.
        <button v-if="mayChange" type="button" class="bare note" @click="begin">Add a tool</button>
      </p>
      <p v-if="behind.length && catalogue?.number" class="trouble">{{ count(behind.length, 'host has', 'hosts have') }} not installed it yet: <span v-for="[host, why] in behind.slice(0, 5)" :key="host">{{ host }} ({{ why }}) </span></p>
      <Input v-model:value="sought" size="small" placeholder="Tool or kind" aria-label="Tool or kind" allow-clear />
      <ul>
        <li v-for="one in shown" :key="one.name">
          <button type="button" class="bare" :class="{ here: one.name === name }" @click="open(one.name)"><strong>{{ one.name }}</strong> {{ one.title }}</button>
          <span class="soft">{{ one.own ? 'ours · ' : '' }}{{ one.draft ? 'draft · ' : '' }}{{ one.systems.join(', ') }}</span>
        </li>
      </ul>
    </div>
    <div>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <p v-if="!definition && !isNew" class="soft">Choose a tool to see its detection and how its version is read.</p>
      <template v-else>
        <h2>{{ name || 'New tool' }} <span class="soft">{{ isNew ? '' : definition?.built_in ? 'built in' : `this server's own` }}</span></h2>
        <Input.TextArea v-model:value="text" class="machine" :read-only="!mayChange" :auto-size="{ minRows: 10, maxRows: 24 }" spellcheck="false" aria-label="Definition" />
        <div v-if="mayChange" class="row">
          <Input v-model:value="note" size="small" class="note-field" placeholder="What changed, and why" aria-label="Note" />
          <Button :loading="isBusy" @click="keep(text)">Save draft</Button>
          <Popconfirm v-if="definition && !definition.built_in" title="Restore the built-in definition (or none)? This makes a draft first." ok-text="Make the draft" cancel-text="Cancel" @confirm="keep('')"><Button>Restore built-in…</Button></Popconfirm>
        </div>
        <div v-if="isDraft && newest" class="draft">
          <p><strong>Version {{ newest.number }} is a draft.</strong> Try it on some hosts; nothing is stored there. Then release it to all agents that accept this server's probes.</p>
          <div v-if="mayChange" class="row">
            <Select v-model:value="onto" mode="multiple" class="hosts" placeholder="Hosts for the trial" aria-label="Hosts for the trial" :options="hosts.map((value) => ({ value, label: value }))" />
            <Button :disabled="!onto.length || !newest.text" :loading="isBusy" @click="tryIt">Run trial</Button>
            <Popconfirm :title="`Release version ${newest.number} of ${newest.tool} to all agents? It runs on every host.`" ok-text="Release" cancel-text="Cancel" @confirm="release"><Button type="primary">Release…</Button></Popconfirm>
          </div>
        </div>
        <table v-if="definition?.trials.length" class="plain-table">
          <thead><tr><th>Trials</th><th>Host</th><th>Found</th></tr></thead>
          <tbody>
            <tr v-for="one in definition.trials.slice(0, 20)" :key="one.id" :data-trial="one.host">
              <td class="soft">version {{ one.number }}, <TimeAgo :at="one.asked_at" /></td>
              <td>{{ one.host }}</td>
              <td><MachineText :text="foundSaid(one)" /></td>
            </tr>
          </tbody>
        </table>
        <table v-if="definition?.edits.length" class="plain-table">
          <thead><tr><th>Version</th><th>By</th><th>Note</th><th></th></tr></thead>
          <tbody>
            <tr v-for="one in definition.edits" :key="one.number">
              <td>{{ one.number }}</td>
              <td>{{ one.made_by }}, <TimeAgo :at="one.made_at" /></td>
              <td>{{ one.note }}{{ one.text ? '' : ' (restores the built-in one)' }}</td>
              <td class="soft"><template v-if="one.release">release {{ one.release }} by {{ one.released_by }}</template><template v-else>not released</template>{{ ' ' }}<button v-if="one.text && mayChange" type="button" class="bare note" @click="text = one.text">take up</button></td>
            </tr>
          </tbody>
        </table>
      </template>
    </div>
  </section>
</template>

<style scoped>
.halves {
  display: grid;
  grid-template-columns: 340px minmax(0, 1fr);
  gap: 26px;
}

ul {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
  max-height: calc(100vh - 220px);
  overflow: auto;
}

li {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  padding: 3px 0;
  border-bottom: 1px solid var(--fence);
}

li .soft {
  font-size: 12px;
  text-align: right;
}

.here {
  text-decoration: underline;
  text-decoration-thickness: 2px;
  text-decoration-color: var(--yellow-deep);
}

.draft {
  margin: 10px 0;
  padding: 8px 10px;
  border-left: 3px solid var(--yellow-deep);
  background: var(--plate);
}

.row {
  margin-top: 8px;
}

.note-field {
  width: 260px;
}

.hosts {
  min-width: 280px;
}

table {
  margin-top: 12px;
}
</style>
