<script setup lang="ts">
import { computed } from 'vue'

/** One character a step of time: `-` lost, `.` absent, else how busy from 0 to 9. */
const props = defineProps<{ trace: string }>()

const HEIGHT = 10
const bars = computed(() =>
  [...props.trace].map((mark, x) => {
    if (mark === '-') return { x, y: HEIGHT - 1.5, height: 1.5, kind: 'lost' }
    if (mark === '.') return { x, y: HEIGHT - 1, height: 1, kind: 'absent' }
    const height = 2 + (Number(mark) / 9) * (HEIGHT - 2)
    return { x, y: HEIGHT - height, height, kind: mark === '0' ? 'idle' : 'busy' }
  }),
)
</script>

<template>
  <svg class="trace" :viewBox="`0 0 ${trace.length} ${HEIGHT}`" preserveAspectRatio="none" aria-hidden="true">
    <rect v-for="bar in bars" :key="bar.x" :class="bar.kind" :x="bar.x + 0.1" :y="bar.y" width="0.8" :height="bar.height" />
  </svg>
</template>

<style scoped>
.trace {
  display: block;
  width: 100%;
  height: 10px;
}

.busy {
  fill: var(--yellow-deep);
}

.idle {
  fill: var(--fence);
}

.absent {
  fill: var(--fence);
}

.lost {
  fill: var(--rust);
}
</style>
