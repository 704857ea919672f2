<script setup lang="ts">
import { Button, Input } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { propertiesText } from '../toolchains/changes'
import ChangeLines from '../toolchains/ChangeLines.vue'
import { useAction } from '../../kit/useAction'
import { count } from '../../kit/format'
import { exactly, momentAt } from '../../kit/moments'

/** What changed on this host, what was on it at any moment, and how it stands to its kits. */
const props = defineProps<{ host: Schemas['Host'] }>()
const SHOWN = 12
const session = useSession()
const { isBusy, trouble, perform } = useAction()
const found = ref<Schemas['History'] | null>(null)
const ticked = ref<number[]>([])
const note = ref('')
const moment = ref('')
const all = ref(false)
const mayAccept = computed(() => session.may('operator', props.host.paddock))
const changes = computed(() => found.value?.changes ?? [])
const open = computed(() => changes.value.filter((one) => !one.accepted_at))
const tools = computed(() => (found.value?.then ?? []).filter((one) => one.kind === 'tool'))

async function load(): Promise<void> {
  const at = moment.value ? momentAt(moment.value).toISOString() : undefined
  await perform(async () => {
    found.value = await answered(api.GET('/api/v1/hosts/{name}/history/', { params: { path: { name: props.host.name }, query: { at } } }))
  })
}
watch(() => [props.host.name, moment.value], () => void load(), { immediate: true })
const loadSoon = gathered(load, 1000)
onNote((one) => {
  if (one.noun === 'kit' || (one.noun === 'host' && one.name === props.host.name)) loadSoon()
})

async function accept(): Promise<void> {
  await perform(async () => {
    const body = { changes: ticked.value, note: note.value }
    await answered(api.POST('/api/v1/hosts/{name}/history/accept/', { params: { path: { name: props.host.name } }, body }))
    ticked.value = []
    note.value = ''
    loadSoon()
  })
}
</script>

<template>
  <section v-if="found" class="drift" aria-label="Drift">
    <h2>Drift <span class="soft">{{ open.length ? `${count(open.length, 'change')} not accepted yet` : 'all changes accepted' }}</span></h2>
    <p v-for="one in found.kits" :key="one.kit">
      <RouterLink :to="{ name: 'toolchains', query: { view: 'kits' } }">Kit {{ one.kit }}</RouterLink>: <strong :class="one.in_kit ? 'well' : 'trouble'">{{ one.stands }}</strong>
      <template v-for="lack in one.lacking" :key="lack.term"> · <code>{{ lack.term }}</code> <span class="soft">{{ lack.found ? `has ${lack.found}` : 'has none' }}</span></template>
    </p>
    <p v-if="found.probes_refused" class="trouble">It rejects this server's probes: {{ found.probes_refused }}</p>
    <ChangeLines v-model:ticked="ticked" :changes="all ? changes : changes.slice(0, SHOWN)" />
    <p v-if="!changes.length" class="soft">No changes since its first survey.</p>
    <div class="row">
      <button v-if="changes.length > SHOWN" type="button" class="bare note" @click="all = !all">{{ all ? 'show fewer' : `show all ${changes.length}` }}</button>
      <button v-if="mayAccept && open.length" type="button" class="bare note" @click="ticked = open.map((one) => one.id)">select all {{ open.length }}</button>
      <template v-if="ticked.length">
        <Input v-model:value="note" size="small" class="note-field" placeholder="Reason for the change" aria-label="Reason for the change" @press-enter="accept" />
        <Button size="small" type="primary" :loading="isBusy" @click="accept">Accept {{ ticked.length }}</Button>
      </template>
      <label class="then">State at <input v-model="moment" type="datetime-local" aria-label="Moment" /></label>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div v-if="moment" class="past" data-then>
      <p v-if="found.then === null" class="soft">No survey at that time.</p>
      <template v-else>
        <p class="soft">As surveyed before {{ exactly(momentAt(moment)) }}: {{ count(tools.length, 'installation') }}.</p>
        <p class="machine"><span v-for="one in tools" :key="one.name + one.place" :title="one.place" class="was">{{ one.name }} {{ propertiesText(one.properties) }}</span></p>
      </template>
    </div>
  </section>
</template>

<style scoped>
.drift {
  margin-bottom: 18px;
}

h2 .soft {
  margin-left: 8px;
  font-size: 13px;
  font-weight: 400;
}

.row {
  margin-top: 6px;
}

.note-field {
  width: 220px;
}

.then {
  margin-left: auto;
  color: var(--ink-soft);
}

.then input {
  border: 1px solid var(--fence);
  background: var(--plate);
  color: var(--ink);
  font: inherit;
}

.past {
  margin-top: 6px;
  padding: 6px 10px;
  border-left: 3px solid var(--water);
  background: var(--plate);
}

.was:not(:last-child)::after {
  content: ' · ';
}
</style>
