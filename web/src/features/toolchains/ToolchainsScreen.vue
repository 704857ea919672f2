<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useToolchains } from './toolchains'
import CataloguePanel from './CataloguePanel.vue'
import ChosenHosts from '../chores/ChosenHosts.vue'
import { ALL, placesOf, spreads, taken, type Filter } from './fleet-columns'
import HostFilter from '../yard/HostFilter.vue'
import HostGrid from '../yard/HostGrid.vue'
import KitPanel from './KitPanel.vue'
import ToolSpreads from './ToolSpreads.vue'
import { linkTo } from '../../api/address'

/** What is on the machines, where is cover thin, and what has drifted? */
const VIEWS = { tools: 'Tools', hosts: 'Hosts by tools', kits: 'Kits', catalogue: 'Catalogue' }
type View = keyof typeof VIEWS

const toolchains = useToolchains()
void toolchains.load()
const route = useRoute()
const router = useRouter()
const view = computed<View>(() => (String(route.query.view) in VIEWS ? (route.query.view as View) : 'tools'))
const filter = shallowRef<Filter>(ALL)
const sentence = ref<InstanceType<typeof HostFilter> | null>(null)
const today = new Date().toISOString().slice(0, 10)

const columns = computed(() => toolchains.columns)
const mask = computed(() => (columns.value ? taken(columns.value, filter.value) : new Uint8Array()))
const places = computed(() => placesOf(mask.value))
const found = computed(() => (columns.value ? spreads(columns.value, mask.value) : []))

function show(name: string): void {
  void router.replace({ query: name === 'tools' ? {} : { view: name } })
}
</script>

<template>
  <div class="screen">
    <div class="row head">
      <h1>Toolchains</h1>
      <div role="tablist" aria-label="Views" class="row">
        <button v-for="(title, name) in VIEWS" :key="name" type="button" role="tab" class="bare tab" :aria-selected="view === name" @click="show(name)">{{ title }}</button>
      </div>
      <span class="out">Inventory of the fleet: <a :href="linkTo('/api/v1/toolchains/inventory/?form=cyclonedx')" download>CycloneDX</a> · <a :href="linkTo('/api/v1/toolchains/inventory/?form=csv')" download>CSV</a></span>
    </div>
    <p v-if="toolchains.trouble" class="trouble" role="alert">{{ toolchains.trouble }}</p>
    <template v-if="columns">
      <p v-if="!columns.hosts.name.length" class="soft">No hosts yet. <RouterLink :to="{ name: 'bring-in' }">Bring one in</RouterLink>: its first survey lists its tools.</p>
      <KitPanel v-else-if="view === 'kits'" :columns="columns" />
      <CataloguePanel v-else-if="view === 'catalogue'" :hosts="columns.hosts.name" />
      <template v-else>
        <HostFilter ref="sentence" v-model="filter" :columns="columns" />
        <div v-if="view === 'tools'" class="two">
          <ToolSpreads :spreads="found" :meant="places.length" :today="today" :chosen="filter.tool" @choose="(tool, versions, name) => sentence?.choose(tool, versions, name)" />
          <ChosenHosts :columns="columns" :places="places" :tool="filter.tool" />
        </div>
        <HostGrid v-else :columns="columns" :places="places" :spreads="found" :today="today" />
      </template>
    </template>
  </div>
</template>

<style scoped>
.head {
  gap: 22px;
  margin-bottom: 10px;
}

.out {
  margin-left: auto;
  color: var(--ink-soft);
}

.tab {
  padding: 2px 0;
  border-bottom: 2px solid transparent;
}

.tab[aria-selected='true'] {
  border-bottom-color: var(--yellow-deep);
  font-weight: 500;
}

.head .row {
  gap: 16px;
}

.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 268px;
  gap: 22px;
  margin-top: 8px;
}

.filter + .grid {
  margin-top: 10px;
}
</style>
