<script setup lang="ts">
import type { Schemas } from '../../api/client'

/** What must be true for the next job to land on a host, as a chain. */
defineProps<{ steps: Schemas['Step'][] }>()
const WORDS = { holds: '', weak: 'at risk', broken: 'broken', unknown: 'unknown' }
</script>

<template>
  <ol class="way" aria-label="Readiness">
    <li v-for="step in steps" :key="step.name" :class="step.mark">
      <strong>{{ step.name }}<template v-if="WORDS[step.mark]"> · {{ WORDS[step.mark] }}</template></strong>
      <span>{{ step.detail }}</span>
    </li>
  </ol>
</template>

<style scoped>
.way {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 0;
  margin: 14px 0 0;
  padding: 0;
  list-style: none;
}

li {
  --notch: 10px;

  display: flex;
  flex: 1 1 130px;
  flex-direction: column;
  min-height: 58px;
  margin-right: -6px;
  padding: 8px 14px 8px 22px;
  background: var(--moss-pale);
  font-size: 12.5px;
  clip-path: polygon(
    0 0,
    calc(100% - var(--notch)) 0,
    100% 50%,
    calc(100% - var(--notch)) 100%,
    0 100%,
    var(--notch) 50%
  );
}

li span {
  overflow-wrap: anywhere;
}

.weak {
  background: repeating-linear-gradient(-45deg, var(--moss-pale) 0 8px, var(--paper-deep) 8px 12px);
}

.broken {
  background: var(--rust);
  color: #fffefa;
}

[data-theme='dark'] .broken {
  color: #1b1d20;
}

.unknown {
  background: var(--paper-deep);
  color: var(--ink-soft);
}
</style>
