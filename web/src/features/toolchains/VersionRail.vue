<script setup lang="ts">
import { computed } from 'vue'
import { at, ending, lineOf, type Spread } from './fleet-columns'
import { count } from '../../kit/format'

/** The versions of a tool as a rail: the oldest on the left, each as long as it has hosts, with their number where it is
 *  not one. */
const props = defineProps<{ spread: Spread; today: string }>()
const emit = defineEmits<{ choose: [versions: number[] | 'broken', name: string] }>()

const MOST_PIECES = 7

/** Many versions are shown by their lines, as 3.9 for 3.9.2 and 3.9.18. */
const groups = computed(() => {
  const { present, tool } = props.spread
  if (present.length <= MOST_PIECES) return present.map((version) => ({ name: at(tool.versions, version), versions: [version] }))
  const lines = new Map<string, number[]>()
  for (const version of present) {
    const line = lineOf(at(tool.versions, version))
    lines.set(line, [...(lines.get(line) ?? []), version])
  }
  return [...lines].map(([name, versions]) => ({ name, versions }))
})

const pieces = computed(() =>
  groups.value.map(({ name, versions }) => {
    const days = versions.map((version) => at(props.spread.tool.ends, version))
    const ended = days.every((day) => ending(day, props.today))
    const hosts = versions.reduce((sum, version) => sum + at(props.spread.counts, version), 0)
    const all = versions.map((version) => `${at(props.spread.tool.versions, version)} on ${count(at(props.spread.counts, version), 'host')}`).join(', ')
    const day = days[0]
    const title = `${all}${day ? `; ${ended ? 'supported until' : 'support ends'} ${day}` : ''}`
    return { name, versions, hosts, ended, title }
  }),
)
</script>

<template>
  <div class="rail">
    <button v-for="one in pieces" :key="one.name" type="button" class="bare piece" :class="{ ended: one.ended }" :style="{ flexGrow: one.hosts }" :title="one.title" :aria-label="one.title" @click="emit('choose', one.versions, one.name)">
      <span class="machine">{{ one.name }}</span><b v-if="one.hosts > 1">{{ one.hosts }}</b>
    </button>
    <button v-if="spread.broken" type="button" class="bare piece broken" :style="{ flexGrow: spread.broken }" :title="`${count(spread.broken, 'host')} with a broken one`" @click="emit('choose', 'broken', '')">
      <span>broken</span><b v-if="spread.broken > 1">{{ spread.broken }}</b>
    </button>
  </div>
</template>

<style scoped>
.rail {
  display: flex;
  gap: 2px;
  min-width: 0;
}

.piece {
  display: flex;
  flex-basis: 0;
  align-items: baseline;
  gap: 5px;
  min-width: 40px;
  padding: 1px 5px;
  border-top: 2px solid var(--fence);
  border-bottom: 2px solid var(--fence);
  border-left: 3px solid var(--slate);
  background: var(--plate);
  overflow: hidden;
  white-space: nowrap;
}

.piece span {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  font-size: 12px;
}

.piece b {
  font-size: 12px;
  font-weight: 500;
  color: var(--ink-soft);
}

.piece:hover {
  background: var(--paper-deep);
}

.ended {
  background: repeating-linear-gradient(135deg, var(--hatch) 0 3px, transparent 3px 8px), var(--plate);
}

.broken {
  border-left-color: var(--rust);
  background: var(--rust-pale);
  color: var(--rust);
}
</style>
