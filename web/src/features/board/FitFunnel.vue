<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../../api/client'

/** From all hosts down to those that could take the job now, step by step. */
const props = defineProps<{ steps: Schemas['FunnelStep'][] }>()
const most = computed(() => Math.max(1, ...props.steps.map((step) => step.left)))
const firstEmpty = computed(() => props.steps.findIndex((step) => step.left === 0))
</script>

<template>
  <ol class="funnel">
    <li v-for="(step, at) in steps" :key="at" :class="{ empties: at === firstEmpty }">
      <strong>{{ step.left }}</strong>
      <span :class="{ machine: step.term !== null }">{{ step.name }}</span>
      <i :style="{ height: `${Math.round((44 * step.left) / most)}px` }" aria-hidden="true"></i>
    </li>
  </ol>
</template>

<style scoped>
.funnel {
  display: flex;
  align-items: flex-end;
  gap: 3px;
  margin: 6px 0 0;
  padding: 0;
  overflow-x: auto;
  list-style: none;
}

li {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-width: 74px;
}

strong {
  font-size: 16px;
  line-height: 1.2;
}

span {
  min-height: 32px;
  color: var(--ink-soft);
  font-size: 12px;
  line-height: 1.3;
  overflow-wrap: anywhere;
}

i {
  min-height: 3px;
  border-top: 3px solid var(--slate);
  background: var(--fence);
}

.empties strong,
.empties span {
  color: var(--rust);
}

.empties i {
  border-color: var(--rust);
}
</style>
