<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useCopying } from '../../kit/copying'
import { at, cellOf, type Columns } from '../toolchains/fleet-columns'

/** The hosts that a filter takes: to go to, to copy, and two to four of them to compare. */
const props = defineProps<{ columns: Columns; places: number[]; tool: string }>()
const SHOWN = 40
const MOST = 4
/** The hosts of a new chore are in its address, which has an end. */
const MOST_OF_A_CHORE = 500
const router = useRouter()
const { word, copy } = useCopying()
const chosen = ref<string[]>([])
watch(
  () => props.places,
  (places) => {
    const names = new Set(places.map((place) => at(props.columns.hosts.name, place)))
    chosen.value = chosen.value.filter((name) => names.has(name))
  },
)
const tool = computed(() => props.columns.tools.find((one) => one.name === props.tool))
const rows = computed(() =>
  props.places.slice(0, SHOWN).map((place) => {
    const cell = tool.value ? cellOf(tool.value, place) : null
    return {
      name: at(props.columns.hosts.name, place),
      paddock: at(props.columns.hosts.paddock, place),
      healthy: at(props.columns.hosts.healthy, place),
      versions: cell ? [...cell.versions, ...(cell.broken ? ['broken'] : [])].join(', ') : '',
    }
  }),
)

/** On those that are ticked, or on all that are meant. */
function chore(): void {
  const hosts = chosen.value.length ? chosen.value : props.places.map((place) => at(props.columns.hosts.name, place))
  void router.push({ name: 'new-chore', query: { hosts: hosts.slice(0, MOST_OF_A_CHORE) } })
}

function compare(): void {
  void router.push({ name: 'compare', query: { host: chosen.value } })
}
</script>

<template>
  <aside aria-label="Chosen hosts">
    <div class="row head">
      <h2>{{ places.length }} {{ places.length === 1 ? 'host' : 'hosts' }}</h2>
      <button type="button" class="bare note" @click="copy(places.map((place) => at(columns.hosts.name, place)).join('\n'))">{{ word }} names</button>
      <Button size="small" :disabled="!places.length" data-act="chore" @click="chore">Chore…</Button>
      <Button size="small" :type="chosen.length > 1 ? 'primary' : 'default'" :disabled="chosen.length < 2" title="Select two to four hosts" @click="compare">Compare {{ chosen.length || '' }}</Button>
    </div>
    <ul>
      <li v-for="row in rows" :key="row.name" :data-meant="row.name">
        <label><input v-model="chosen" type="checkbox" :value="row.name" :disabled="chosen.length >= MOST && !chosen.includes(row.name)" :aria-label="`Compare ${row.name}`" /></label>
        <RouterLink :to="{ name: 'host', params: { name: row.name } }">{{ row.name }}</RouterLink>
        <span class="soft">{{ row.paddock }}<template v-if="!row.healthy"> · not ready</template></span>
        <span class="machine">{{ row.versions }}</span>
      </li>
    </ul>
    <p v-if="!chosen.length && places.length > MOST_OF_A_CHORE" class="trouble">A chore from here takes the first {{ MOST_OF_A_CHORE }} of them.</p>
    <p v-if="places.length > SHOWN" class="soft">{{ places.length - SHOWN }} more: narrow the search.</p>
    <p v-if="!places.length" class="soft">No host matches.</p>
  </aside>
</template>

<style scoped>
.head {
  margin-bottom: 6px;
}

.head h2 {
  flex: 1;
}

ul {
  margin: 0;
  padding: 0;
  list-style: none;
  max-height: calc(100vh - 230px);
  overflow: auto;
}

li {
  display: flex;
  align-items: baseline;
  gap: 7px;
  padding: 3px 0;
  border-bottom: 1px solid var(--fence);
}

li .machine {
  margin-left: auto;
  text-align: right;
  overflow-wrap: anywhere;
}
</style>
