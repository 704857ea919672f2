<script setup lang="ts">
import { computed } from 'vue'

const props = defineProps<{ slots: number; working: number }>()
const MOST = 8
const shown = computed(() => Math.min(props.slots, MOST))
</script>

<template>
  <span class="slots" role="img" :aria-label="`${working} of ${slots} slots working`" :title="`${working} of ${slots} slots working`">
    <i v-for="n in shown" :key="n" :class="{ working: n <= working }"></i>
    <b v-if="slots > MOST">+{{ slots - MOST }}</b>
  </span>
</template>

<style scoped>
.slots {
  display: flex;
  flex: none;
  flex-wrap: wrap;
  gap: 2px;
  align-items: center;
  justify-content: flex-end;
  max-width: 42px;
}

i {
  width: 9px;
  height: 9px;
  border: 1px solid var(--slate);
  border-radius: 2px;
}

i.working {
  border-color: var(--yellow-deep);
  background: var(--yellow);
}

b {
  font-size: 12px;
  font-weight: 500;
  line-height: 9px;
}
</style>
