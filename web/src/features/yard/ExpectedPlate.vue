<script setup lang="ts">
import type { Coming } from '../bring-up/expected-hosts'
import { systemName } from '../../kit/format'

/** The place of a host that is expected: corners only, until it is there. */
defineProps<{ sheet: Coming }>()
</script>

<template>
  <RouterLink class="expected plate-marks-expected" :to="{ name: 'bring-up', params: { id: String(sheet.id) } }" :title="sheet.sentence" :data-expected="sheet.title">
    <span class="line"><strong>{{ sheet.title }}</strong></span>
    <span class="line"><span class="soft">{{ systemName(sheet.system) }}</span><em :class="{ trouble: sheet.phase === 'failed' || sheet.phase === 'cut off' }">{{ sheet.phase }}</em></span>
  </RouterLink>
</template>

<style scoped>
.expected {
  display: flex;
  flex-direction: column;
  gap: 3px;
  min-width: 0;
  min-height: 62px;
  padding: 6px 8px 5px;
  color: var(--ink-soft);
  font-size: 12.5px;
  text-decoration: none;
}

.line {
  display: flex;
  justify-content: space-between;
  gap: 6px;
}

strong {
  overflow: hidden;
  font-size: 13.5px;
  font-weight: 500;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.soft,
em {
  font-size: 12px;
  font-style: normal;
}
</style>
