<script setup lang="ts">
import { computed, ref } from 'vue'
import { at, cellOf, ending, type Columns, type Spread } from './fleet-columns'

/** Hosts by tools: every version on every host. Only the rows in sight are drawn, so that thousands stay quick. */
const props = defineProps<{ columns: Columns; places: number[]; spreads: Spread[]; today: string }>()
const ROW = 26
const BEYOND = 6
const top = ref(0)
const height = ref(560)
const first = computed(() => Math.max(0, Math.floor(top.value / ROW) - BEYOND))
const rows = computed(() => props.places.slice(first.value, first.value + Math.ceil(height.value / ROW) + 2 * BEYOND))
const tools = computed(() => props.spreads.filter((one) => one.hosts || one.broken))

function moved(event: Event): void {
  const box = event.target as HTMLElement
  top.value = box.scrollTop
  height.value = box.clientHeight
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
          <th v-for="one in tools" :key="one.tool.name"><RouterLink :to="{ name: 'tool', params: { name: one.tool.name } }">{{ one.tool.name }}</RouterLink></th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="first" aria-hidden="true" :style="{ height: `${first * ROW}px` }"></tr>
        <tr v-for="place in rows" :key="place" :style="{ height: `${ROW}px` }">
          <th class="host"><RouterLink :to="{ name: 'host', params: { name: at(columns.hosts.name, place) } }">{{ at(columns.hosts.name, place) }}</RouterLink></th>
          <td v-for="one in tools" :key="one.tool.name" :class="shown(one, place)" :title="shown(one, place).text">{{ shown(one, place).text }}</td>
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
  max-width: 132px;
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
