<script setup lang="ts">
import { computed } from 'vue'
import { STEPS } from './rollouts'
import './steps.css'

/** How far a rollout is, drawn: one field per step, as wide as its hosts are many. */
const props = defineProps<{ counts: Record<string, number> }>()
const fields = computed(() => STEPS.filter((step) => props.counts[step]).map((step) => ({ step, count: props.counts[step] ?? 0 })))
const summary = computed(() => fields.value.map((one) => `${one.count} ${one.step}`).join(', '))
</script>

<template>
  <span class="strip" role="img" :aria-label="summary" :title="summary">
    <span v-for="one in fields" :key="one.step" class="field step-mark" :data-step="one.step" :style="{ flexGrow: one.count }">{{ one.count }}</span>
  </span>
</template>

<style scoped>
.strip {
  display: flex;
  gap: 2px;
  width: 240px;
}

.field {
  min-width: 18px;
  padding-bottom: 2px;
  font-size: 12px;
  line-height: 16px;
  text-align: center;
}
</style>
