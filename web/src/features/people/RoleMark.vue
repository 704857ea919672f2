<script setup lang="ts">
import { RANK, type Role } from './roles'

/** A role as fence posts: one for a viewer, two for an operator, three for an administrator; empty ones for what is missing. `isThrough`: it comes with the role for everything. */
defineProps<{ role: Role | null; isThrough?: boolean }>()
</script>

<template>
  <svg viewBox="0 0 20 12" width="20" height="12" aria-hidden="true" :class="{ through: isThrough }">
    <path d="M0 6h20" class="rail" />
    <rect v-for="post in 3" :key="post" :x="(post - 1) * 7 + 1" y="1" width="4" height="10" :class="{ held: role && RANK[role] >= post - 1 }" />
  </svg>
</template>

<style scoped>
.rail {
  stroke: var(--fence);
  stroke-width: 1.5;
}

rect {
  fill: var(--paper);
  stroke: var(--fence);
}

rect.held {
  fill: var(--ink);
  stroke: var(--ink);
}

.through rect.held {
  fill: var(--hatch);
  stroke: var(--slate);
  stroke-dasharray: 2 1.5;
}
</style>
