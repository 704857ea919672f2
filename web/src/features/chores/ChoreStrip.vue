<script setup lang="ts">
import { computed } from 'vue'
import { STATES } from './chores'

/** How far a run is, drawn: one field for each host, by state. */
const props = defineProps<{ counts: Record<string, number> }>()
const fields = computed(() => STATES.filter((state) => props.counts[state]).map((state) => ({ state, count: props.counts[state] ?? 0 })))
const summary = computed(() => fields.value.map((one) => `${one.count} ${one.state}`).join(', '))
</script>

<template>
  <span class="strip" role="img" :aria-label="summary" :title="summary">
    <span v-for="one in fields" :key="one.state" class="field" :class="one.state.replaceAll(' ', '-')" :style="{ flexGrow: one.count }">{{ one.count }}</span>
  </span>
</template>

<style scoped>
.strip {
  display: flex;
  gap: 2px;
  width: 220px;
}

.field {
  min-width: 16px;
  border: 1.5px solid var(--ink);
  border-radius: 2px;
  background: var(--plate);
  font-size: 12px;
  line-height: 15px;
  text-align: center;
}

.running,
.surveying {
  background: var(--yellow);
  color: var(--on-yellow);
}

.surveying,
.could-not-reach {
  border-style: dashed;
}

.done {
  border-color: var(--moss);
  color: var(--moss);
}

.failed,
.ran-but-not-there {
  border-color: var(--rust);
  color: var(--rust);
}

.waiting,
.left-out {
  border: 1px dotted var(--slate);
  background: none;
  color: var(--ink-soft);
}
</style>
