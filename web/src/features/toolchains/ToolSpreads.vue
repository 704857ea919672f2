<script setup lang="ts">
import { computed, onScopeDispose, ref, watch } from 'vue'
import { at, ending, type Spread } from './fleet-columns'
import { count } from '../../kit/format'
import VersionRail from './VersionRail.vue'

/** Every tool with the spread of its versions, who wants it, and what is wrong with it. */
const props = defineProps<{ spreads: Spread[]; meant: number; today: string; chosen: string }>()
const emit = defineEmits<{ choose: [tool: string, versions: number[] | 'broken', name: string] }>()
const SOON = 90
type By = 'name' | 'asked' | 'spread' | 'trouble'
const by = ref<By>('trouble')

function remarksOn(one: Spread): { text: string; bad: boolean }[] {
  const { tool } = one
  const ends = one.present.map((version) => at(tool.ends, version))
  const ended = one.present.filter((version) => ending(at(tool.ends, version), props.today)).reduce((sum, version) => sum + at(one.counts, version), 0)
  const soon = ends.filter((day) => ending(day, props.today, SOON) && !ending(day, props.today)).sort()[0]
  return [
    ...(tool.asked && !one.healthy ? [{ text: 'no ready host', bad: true }] : []),
    ...(one.healthy === 1 ? [{ text: 'one ready host only', bad: tool.asked > 0 }] : []),
    ...(tool.missed ? [{ text: `${count(tool.missed, 'host')} out of kit`, bad: true }] : []),
    ...(one.broken ? [{ text: `broken on ${one.broken}`, bad: true }] : []),
    ...(tool.changed ? [{ text: `changed on ${tool.changed} in 7 days`, bad: false }] : []),
    ...(ended ? [{ text: `no longer supported on ${ended}`, bad: true }] : []),
    ...(soon ? [{ text: `support ends ${soon}`, bad: false }] : []),
  ]
}

const rows = computed(() => {
  const listed = props.spreads
    .filter((one) => one.hosts || one.broken || one.tool.asked || one.tool.missed)
    .map((one) => ({ one, remarks: remarksOn(one) }))
  const order: Record<By, (row: { one: Spread; remarks: { bad: boolean }[] }) => number> = {
    name: () => 0,
    asked: (row) => -row.one.tool.asked,
    spread: (row) => -row.one.present.length,
    trouble: (row) => -(row.remarks.filter((remark) => remark.bad).length * 10_000 + row.one.tool.asked * 10 + row.remarks.length),
  }
  const first = (row: { one: Spread }): number => (row.one.tool.name === props.chosen ? 0 : 1)
  return listed.sort((a, b) => first(a) - first(b) || order[by.value](a) - order[by.value](b) || a.one.tool.name.localeCompare(b.one.tool.name))
})

/** Rows out of sight are drawn when they come near. */
const AT_FIRST = 20
const drawn = ref(AT_FIRST)
const end = ref<HTMLElement | null>(null)
const sight = new IntersectionObserver((seen) => {
  if (seen.some((one) => one.isIntersecting) && drawn.value < rows.value.length) drawn.value += AT_FIRST
}, { rootMargin: '300px' })
watch(end, (element) => element && sight.observe(element))
watch(() => props.spreads, () => (drawn.value = AT_FIRST))
onScopeDispose(() => sight.disconnect())

const HEADS: { by: By; title: string }[] = [
  { by: 'name', title: 'Tool' },
  { by: 'spread', title: 'Versions by hosts, oldest first' },
  { by: 'asked', title: 'Asked' },
  { by: 'trouble', title: 'Remarks' },
]
</script>

<template>
  <div>
  <table class="plain-table">
    <thead>
      <tr>
        <th v-for="head in HEADS" :key="head.by" :class="head.by" :aria-sort="by === head.by ? 'ascending' : 'none'">
          <button type="button" class="bare" :class="{ now: by === head.by }" :title="head.by === 'asked' ? 'Jobs of the last 30 days that asked for it' : ''" @click="by = head.by">{{ head.title }}</button>
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="{ one, remarks } in rows.slice(0, drawn)" :key="one.tool.name" :data-tool-row="one.tool.name">
        <td class="name"><RouterLink :to="{ name: 'tool', params: { name: one.tool.name } }" :title="`${one.tool.title} · ${one.tool.kind}`">{{ one.tool.name }}</RouterLink> <span class="soft">{{ one.hosts }} of {{ meant }}</span></td>
        <td class="spread"><VersionRail v-if="one.hosts || one.broken" :spread="one" :today="today" @choose="(versions, name) => emit('choose', one.tool.name, versions, name)" /><span v-else class="trouble">on none of these hosts</span></td>
        <td class="asked">{{ one.tool.asked || '' }}</td>
        <td><span v-for="remark in remarks" :key="remark.text" class="remark" :class="{ trouble: remark.bad }">{{ remark.text }}</span></td>
      </tr>
    </tbody>
  </table>
  <p v-if="drawn < rows.length" ref="end" :key="drawn" class="soft">{{ rows.length - drawn }} more tools …</p>
  </div>
</template>

<style scoped>
.plain-table {
  table-layout: fixed;
}

th.name,
.name {
  width: 156px;
}

th.spread {
  width: 50%;
}

th.asked,
.asked {
  width: 52px;
}

.now {
  color: var(--ink);
  text-decoration: underline;
  text-underline-offset: 3px;
}

.remark:not(:last-child)::after {
  content: ' · ';
}
</style>
