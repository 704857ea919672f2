<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { allRows, answered, api, type Schemas } from '../../api/client'
import { onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import { at, standing, type Columns } from './fleet-columns'
import KitEditor from './KitEditor.vue'
import { count } from '../../kit/format'

/** What should be on which hosts, and who lacks it? */
const MESSAGES = {
  meets: ['meets it', 'meet it'],
  'is ahead': ['is ahead', 'are ahead'],
  misses: ['misses something', 'miss something'],
  'not surveyed': ['is not surveyed', 'are not surveyed'],
} as const
const props = defineProps<{ columns: Columns }>()
const session = useSession()
const { trouble, perform } = useAction()
const kits = ref<Schemas['Kit'][]>([])
const edited = ref<Schemas['Kit'] | 'new' | null>(null)
const opened = ref('')
const standings = ref<Schemas['HostStanding'][]>([])
const mayKeep = computed(() => session.may('administrator'))

const load = (): Promise<void> =>
  perform(async () => {
    kits.value = await allRows((query) => api.GET('/api/v1/kits/', { params: { query } }))
  })
void load()
onNote((note) => {
  if (note.noun === 'kit') void load()
})

function names(kit: string, stands: string): string[] {
  const found = props.columns.kits.find((one) => one.name === kit)
  return found ? standing(found, stands).map((place) => at(props.columns.hosts.name, place)) : []
}

function readyToServe(kit: string): number {
  const found = props.columns.kits.find((one) => one.name === kit)
  return found ? found.hosts.filter((place, i) => found.stands[i] !== 'misses' && at(props.columns.hosts.healthy, place)).length : 0
}

async function open(kit: string): Promise<void> {
  opened.value = opened.value === kit ? '' : kit
  if (!opened.value) return
  await perform(async () => {
    standings.value = (await answered(api.GET('/api/v1/kits/{name}/standings/', { params: { path: { name: kit } } }))).standings
  })
}

async function remove(kit: string): Promise<void> {
  await perform(async () => {
    await answered(api.DELETE('/api/v1/kits/{name}/', { params: { path: { name: kit } } }))
    kits.value = await allRows((query) => api.GET('/api/v1/kits/', { params: { query } }))
  })
}

async function saved(): Promise<void> {
  edited.value = null
  opened.value = ''
  await load()
}
</script>

<template>
  <section aria-label="Kits">
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <KitEditor v-if="edited" :kit="edited === 'new' ? null : edited" :columns="columns" @saved="saved" @left="edited = null" />
    <template v-else>
      <div class="row">
        <p class="soft">A kit lists the terms that certain hosts should meet: those of its paddocks, or those with a label.</p>
        <Button v-if="mayKeep" type="primary" @click="edited = 'new'">New kit</Button>
      </div>
      <p v-if="!kits.length" class="soft empty">No kits yet. Start from a good host: its tools become the terms.</p>
      <div v-for="kit in kits" :key="kit.name" class="kit" :data-kit="kit.name">
        <div class="row">
          <h2>{{ kit.name }}</h2>
          <span class="soft">{{ kit.purpose }} · on {{ [...(kit.paddocks ?? []), ...(kit.labels ?? []).map((label) => `label ${label}`)].join(', ') || 'no host' }}</span>
          <span class="right row">
            <button type="button" class="bare note" @click="open(kit.name)">{{ opened === kit.name ? 'less' : 'host by host' }}</button>
            <button v-if="mayKeep" type="button" class="bare note" @click="edited = kit">change</button>
            <Popconfirm v-if="mayKeep" :title="`Delete the kit ${kit.name}? No host changes. The logbook keeps its terms.`" ok-text="Delete" cancel-text="Cancel" @confirm="remove(kit.name)"><button type="button" class="bare note">delete</button></Popconfirm>
          </span>
        </div>
        <p class="machine">{{ kit.terms.join(' · ') }}</p>
        <div class="rail">
          <span v-for="stands in Object.keys(MESSAGES) as (keyof typeof MESSAGES)[]" :key="stands" v-show="names(kit.name, stands).length" class="piece" :class="stands.replace(' ', '-')" :style="{ flexGrow: names(kit.name, stands).length }" :title="names(kit.name, stands).join(', ')">
            {{ count(names(kit.name, stands).length, MESSAGES[stands][0], MESSAGES[stands][1]) }}
          </span>
        </div>
        <p v-if="readyToServe(kit.name) < 2" class="trouble">{{ readyToServe(kit.name) ? 'Only one ready host meets it.' : 'No ready host meets it.' }}</p>
        <table v-if="opened === kit.name" class="plain-table">
          <tbody>
            <tr v-for="one in standings" :key="one.host">
              <td><RouterLink :to="{ name: 'host', params: { name: one.host } }">{{ one.host }}</RouterLink></td>
              <td :class="{ trouble: one.stands === 'misses', well: one.stands === 'meets' }">{{ one.stands }}</td>
              <td><span v-for="lack in one.lacking" :key="lack.term" class="lack"><code>{{ lack.term }}</code> <span class="soft">{{ lack.found ? `has ${lack.found}${lack.ahead ? ', which is newer' : ''}` : 'has none' }}</span></span></td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-if="kits.length" class="soft">{{ count(kits.length, 'kit') }}. A host is ahead if it only has newer versions than the kit asks for.</p>
    </template>
  </section>
</template>

<style scoped>
.kit {
  margin: 14px 0;
  padding: 10px 12px;
  border: 1px solid var(--fence);
  background: var(--plate);
}

.right {
  margin-left: auto;
  gap: 14px;
}

.empty {
  margin-top: 14px;
}

.rail {
  display: flex;
  gap: 2px;
  margin: 8px 0 4px;
}

.piece {
  flex-basis: 0;
  min-width: fit-content;
  padding: 2px 8px;
  border-left: 3px solid var(--slate);
  background: var(--paper-deep);
  white-space: nowrap;
}

.meets {
  border-left-color: var(--moss);
  background: var(--moss-pale);
}

.is-ahead {
  border-left-color: var(--water);
  background: var(--water-pale);
}

.misses {
  border-left-color: var(--rust);
  background: var(--rust-pale);
}

.lack:not(:last-child)::after {
  content: ' · ';
}
</style>
