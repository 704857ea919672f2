<script setup lang="ts">
import type { Schemas } from '../../api/client'

/** Each term with the number of hosts that meet it; the one that none meets stands out. The job's shell implies some. */
const { implied = [] } = defineProps<{ fit: Schemas['Fit']; implied?: readonly string[] }>()
</script>

<template>
  <ol class="terms">
    <li v-for="one in fit.terms" :key="one.term" :class="{ unmet: one.hosts === 0 }" :data-term="one.term">
      <code>{{ one.term }}</code><span v-if="implied.includes(one.term)" class="soft">implied by its shell</span>
      <span v-if="one.hosts === 0" class="trouble">
        no host has it<template v-if="fit.reason_nearest && fit.terms[fit.reason_term ?? -1]?.term === one.term"> · did you mean {{ fit.reason_nearest }}?</template>
      </span>
      <template v-else>
        <i aria-hidden="true"><b :style="{ width: `${(100 * one.hosts) / Math.max(1, fit.all_hosts)}%` }"></b></i>
        <span>{{ one.hosts }} of {{ fit.all_hosts }}</span>
      </template>
    </li>
    <li v-for="one in fit.prefers" :key="`prefer ${one.term}`" class="prefers" :data-prefers="one.term">
      <code>prefer {{ one.term }}</code>
      <span class="soft">{{ one.hosts }} of {{ fit.all_hosts }}</span>
    </li>
  </ol>
</template>

<style scoped>
.terms {
  margin: 8px 0 0;
  padding: 0;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
  list-style: none;
}

li {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 4px 12px;
  border-bottom: 1px solid var(--fence);
}

li:last-child {
  border-bottom: 0;
}

code {
  flex: 1;
  overflow-wrap: anywhere;
}

.prefers code {
  color: var(--ink-soft);
}

.unmet {
  background: var(--rust-pale);
}

.unmet span {
  font-weight: 600;
}

i {
  display: flex;
  justify-content: flex-end;
  width: 90px;
  height: 5px;
}

b {
  border-radius: 2px;
  background: var(--moss);
}

li > span {
  min-width: 54px;
  text-align: right;
}
</style>
