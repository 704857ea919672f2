<script setup lang="ts">
import { watch } from 'vue'
import { useRoute } from 'vue-router'
import { refusal } from '../../api/client'
import AskAccess from './AskAccess.vue'

/** Says what the last refused request needed, and lets the person ask for it. */
const route = useRoute()
watch(() => route.fullPath, () => (refusal.value = null))
</script>

<template>
  <div v-if="refusal" class="refused" role="status" data-refused>
    <span>{{ refusal.detail }}</span>
    <AskAccess :key="`${refusal.role} ${refusal.paddock}`" :role="refusal.role" :paddock="refusal.paddock" />
    <button type="button" class="bare" @click="refusal = null">Close</button>
  </div>
</template>

<style scoped>
.refused {
  position: fixed;
  right: 18px;
  bottom: 18px;
  z-index: 20;
  display: flex;
  align-items: center;
  gap: 12px;
  max-width: min(640px, 92vw);
  padding: 9px 14px;
  border: 1px solid var(--yellow-deep);
  border-left-width: 5px;
  border-radius: 4px;
  background: var(--plate);
}
</style>
