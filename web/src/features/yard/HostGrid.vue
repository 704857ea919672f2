<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { at, cellOf, ending, type Columns, type Spread } from '../toolchains/fleet-columns'
import { linkTo } from '../../api/address'

/** Hosts by tools: every version on every host. Only the rows in sight are drawn, so that thousands stay quick. */
const props = defineProps<{ columns: Columns; places: number[]; spreads: Spread[]; today: string }>()
const router = useRouter()
const ROW = 26
const COLUMN = 112
const BEYOND = 2
const top = ref(0)
const height = ref(560)
const first = computed(() => Math.max(0, Math.floor(top.value / ROW) - BEYOND))
const rows = computed(() => props.places.slice(first.value, first.value + Math.ceil(height.value / ROW) + 2 * BEYOND))
const left = ref(0)
const width = ref(1240)
const there = computed(() => props.spreads.filter((one) => one.hosts || one.broken))
const firstTool = computed(() => Math.max(0, Math.floor(left.value / COLUMN) - BEYOND))
const tools = computed(() => there.value.slice(firstTool.value, firstTool.value + Math.ceil(width.value / COLUMN) + 2 * BEYOND))
const beyond = computed(() => (there.value.length - firstTool.value - tools.value.length) * COLUMN)
const cells = computed(() => rows.value.map((place) => ({ place, name: at(props.columns.hosts.name, place), cells: tools.value.map((one) => shown(one, place)) })))

function moved(event: Event): void {
  const box = event.target as HTMLElement
  top.value = box.scrollTop
  height.value = box.clientHeight
  left.value = box.scrollLeft
  width.value = box.clientWidth
}

function shown(spread: Spread, host: number): { text: string; broken: boolean; ended: boolean } {
  const { versions, broken } = cellOf(spread.tool, host)
  const place = versions.length ? spread.tool.versions.indexOf(at(versions, 0)) : -1
  return { text: versions.join(', ') || (broken ? 'broken' : ''), broken, ended: place >= 0 && ending(at(spread.tool.ends, place), props.today) }
}
</script>

<template>
  <div class="grid" tabindex="0" role="region" aria-label="Hosts by tools" @scroll.passive="moved">
    <table>
      <thead>
        <tr>
          <th class="host">Host</th>
          <th v-if="firstTool" aria-hidden="true" :style="{ minWidth: `${firstTool * COLUMN}px` }"></th>
          <th v-for="one in tools" :key="one.tool.name"><RouterLink :to="{ name: 'tool', params: { name: one.tool.name } }">{{ one.tool.name }}</RouterLink></th>
          <th v-if="beyond" aria-hidden="true" :style="{ minWidth: `${beyond}px` }"></th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="first" aria-hidden="true" :style="{ height: `${first * ROW}px` }"></tr>
        <tr v-for="row in cells" :key="row.place" :style="{ height: `${ROW}px` }">
          <th class="host"><a :href="linkTo(`/hosts/${row.name}`)" @click.prevent="router.push({ name: 'host', params: { name: row.name } })">{{ row.name }}</a></th>
          <td v-if="firstTool" aria-hidden="true"></td>
          <td v-for="(cell, i) in row.cells" :key="i" :class="cell" :title="cell.text">{{ cell.text }}</td>
          <td v-if="beyond" aria-hidden="true"></td>
        </tr>
        <tr aria-hidden="true" :style="{ height: `${Math.max(0, places.length - first - rows.length) * ROW}px` }"></tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.grid {
  max-height: calc(100vh - 190px);
  overflow: auto;
  border: 1px solid var(--fence);
}

table {
  border-collapse: separate;
  border-spacing: 0;
  font-size: 12px;
}

th,
td {
  width: 112px;
  min-width: 112px;
  max-width: 112px;
  padding: 3px 8px;
  border-right: 1px solid var(--fence);
  border-bottom: 1px solid var(--fence);
  overflow: hidden;
  text-align: left;
  text-overflow: ellipsis;
  white-space: nowrap;
}

td {
  font-family: var(--mono);
}

[aria-hidden] {
  max-width: none;
}

thead th {
  position: sticky;
  top: 0;
  z-index: 2;
  background: var(--paper-deep);
  font-weight: 500;
}

.host {
  position: sticky;
  left: 0;
  z-index: 1;
  background: var(--paper-deep);
  font-weight: 500;
}

thead .host {
  z-index: 3;
}

.ended {
  background: repeating-linear-gradient(135deg, var(--hatch) 0 3px, transparent 3px 8px);
}

.broken {
  background: var(--rust-pale);
  color: var(--rust);
}
</style>
