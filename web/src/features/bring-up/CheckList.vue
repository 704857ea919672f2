<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Schemas } from '../../api/client'
import CopyText from '../../kit/CopyText.vue'
import { count } from '../../kit/format'

/** What the preflight found on the machine, check by check: what is missing first. */
const props = defineProps<{ checks: Schemas['Check'][]; folded: boolean }>()
const WEIGHT = { missing: 0, mind: 1, ok: 2 }
const WORDS = { missing: 'missing', mind: 'warning', ok: 'passed' }
const opened = ref(false)
const sorted = computed(() => [...props.checks].sort((a, b) => WEIGHT[a.mark] - WEIGHT[b.mark]))
const shown = computed(() => (props.folded && !opened.value ? sorted.value.filter((one) => one.mark !== 'ok') : sorted.value))
const hidden = computed(() => sorted.value.length - shown.value.length)
</script>

<template>
  <table class="plain-table checks">
    <tbody>
      <tr v-for="check in shown" :key="check.name" :class="check.mark">
        <td class="mark">{{ WORDS[check.mark] }}</td>
        <th scope="row">{{ check.name }}</th>
        <td>
          <span class="machine">{{ check.found }}</span>
          <p v-if="check.why">{{ check.why }}</p>
          <template v-if="check.mark !== 'ok'"><CopyText v-for="command in check.remedy" :key="command" class="do" :text="command" /></template>
        </td>
      </tr>
    </tbody>
  </table>
  <button v-if="hidden || opened" type="button" class="bare note more" @click="opened = !opened">
    {{ opened ? 'Hide passed checks' : `${count(hidden, 'check')} passed: show` }}
  </button>
</template>

<style scoped>
.checks {
  margin-top: 4px;
  font-size: 13px;
}

td,
th {
  padding-top: 3px;
  padding-bottom: 3px;
}

th {
  width: 120px;
  border-bottom: 1px solid var(--fence);
  color: var(--ink);
  vertical-align: baseline;
  font-size: 13px;
}

.mark {
  width: 62px;
  color: var(--ink-soft);
  font-size: 12px;
}

.missing .mark {
  color: var(--rust);
  font-weight: 600;
}

.mind .mark {
  color: var(--water);
  font-weight: 600;
}

.machine {
  overflow-wrap: anywhere;
}

.do {
  margin-top: 3px;
}

.more {
  margin-top: 3px;
  font-size: 12.5px;
}
</style>
