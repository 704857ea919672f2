<script setup lang="ts">
import { Button, Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answered, api, type Schemas } from '../../api/client'
import { useToolchains } from './toolchains'
import { propertiesText } from './changes'
import { useCopying } from '../../kit/copying'
import { count } from '../../kit/format'

/** Two to four hosts that should be alike: what differs? */
const KINDS: Record<string, string> = {
  tool: 'Tools',
  system: 'System',
  service: 'Services',
  variable: 'Environment',
  group: 'Groups of the account',
  label: 'Labels',
  setting: 'Settings',
}
const MOST = 4
const route = useRoute()
const router = useRouter()
const toolchains = useToolchains()
if (!toolchains.columns) void toolchains.load()
const { word, copy } = useCopying()
const found = ref<Schemas['Compare'] | null>(null)
const trouble = ref('')
const names = computed(() => [route.query.host ?? []].flat().map(String).filter(Boolean))
const known = computed(() => (toolchains.columns?.hosts.name ?? []).map((value) => ({ value, label: value })))

watch(
  names,
  async (hosts) => {
    if (hosts.length < 2) {
      found.value = null
      return
    }
    try {
      found.value = await answered(api.GET('/api/v1/toolchains/compare/', { params: { query: { host: hosts } } }))
      trouble.value = ''
    } catch (error) {
      found.value = null
      trouble.value = (error as Error).message
    }
  },
  { immediate: true },
)

const parts = computed(() =>
  Object.entries(KINDS)
    .map(([kind, title]) => ({ kind, title, rows: (found.value?.rows ?? []).filter((row) => row.kind === kind) }))
    .filter((part) => part.rows.length),
)

function choose(hosts: unknown): void {
  void router.replace({ query: { host: (hosts as string[]).slice(0, MOST) } })
}

function values(row: Schemas['Differing']): string[] {
  return row.values.map(propertiesText)
}

const asText = computed(() => {
  const rows = (found.value?.rows ?? []).map((row) => [KINDS[row.kind] ?? row.kind, row.name, ...values(row)])
  return [['', '', ...(found.value?.hosts ?? [])], ...rows].map((row) => row.join('\t')).join('\n')
})

/** Marks what is not as on the first host. */
function differs(row: Schemas['Differing'], place: number): boolean {
  return place > 0 && propertiesText(row.values[place] ?? null) !== propertiesText(row.values[0] ?? null)
}
</script>

<template>
  <div class="screen">
    <div class="row head">
      <h1>Compare</h1>
      <Select :value="names" mode="multiple" class="hosts" :options="known" placeholder="Two to four hosts" aria-label="Hosts to compare" @update:value="choose" />
      <Button v-if="found" @click="copy(asText)">{{ word }} as a table</Button>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="names.length < 2" class="soft">Choose two to four hosts that should be alike. Their differences appear here.</p>
    <template v-if="found">
      <p class="soft">{{ count(found.rows.length, 'difference') }}; {{ found.alike }} are the same and not shown. Bold differs from {{ found.hosts[0] }}.</p>
      <table class="plain-table">
        <thead>
          <tr><th></th><th v-for="host in found.hosts" :key="host"><RouterLink :to="{ name: 'host', params: { name: host } }">{{ host }}</RouterLink></th></tr>
        </thead>
        <tbody v-for="part in parts" :key="part.kind">
          <tr class="part"><th :colspan="found.hosts.length + 1">{{ part.title }}</th></tr>
          <tr v-for="row in part.rows" :key="row.name" :data-differs="`${row.kind} ${row.name}`">
            <td><RouterLink v-if="row.kind === 'tool'" :to="{ name: 'tool', params: { name: row.name } }">{{ row.name }}</RouterLink><span v-else :class="{ machine: row.kind === 'variable' }">{{ row.name }}</span></td>
            <td v-for="(value, place) in values(row)" :key="place" class="machine" :class="{ other: differs(row, place), none: row.values[place] === null, trouble: row.values[place]?.version?.startsWith('broken') }">{{ value }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="!found.rows.length" class="well">No differences.</p>
    </template>
  </div>
</template>

<style scoped>
.head {
  margin-bottom: 10px;
}

.hosts {
  min-width: 420px;
}

.plain-table {
  table-layout: fixed;
  margin-top: 10px;
}

.plain-table th:first-child {
  width: 190px;
}

td {
  overflow-wrap: anywhere;
}

.part th {
  padding-top: 14px;
  color: var(--ink);
  font-size: 14px;
  font-weight: 600;
}

.other {
  font-weight: 600;
}

.none {
  color: var(--slate);
  font-style: italic;
}
</style>
