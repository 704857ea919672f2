<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import { share } from '../../kit/format'

/** How available a host or paddock was in one window: the share, and a bar for what is missing. */
const props = defineProps<{ found: Schemas['Availability'] }>()
/** Half of the hosts miss less than a hundredth, so the bar shows the last tenth. */
const missing = computed(() => (props.found.share === null ? 0 : Math.min(100, (1 - props.found.share) * 1000)))
</script>

<template>
  <td class="cell">
    <span v-if="found.share === null" class="soft" title="Never expected to be connected">held</span>
    <template v-else>
      <span>{{ share(found.share) }}</span>
      <i :style="{ width: `${missing}%` }" :title="`${share(1 - found.share)} missing`"></i>
    </template>
  </td>
</template>

<style scoped>
.cell {
  position: relative;
  min-width: 92px;
}

i {
  position: absolute;
  bottom: 1px;
  left: 0;
  max-width: calc(100% - 12px);
  height: 3px;
  background: var(--rust);
}
</style>
