<script setup lang="ts">
import type { Schemas } from '../../api/client'
import { exactly } from '../../kit/moments'
import TimeAgo from '../../kit/TimeAgo.vue'
import { changeText, changedBetween } from './changes'

/** What surveys found otherwise than the ones before, the newest first. */
type Change = Schemas['Change'] & Partial<Pick<Schemas['ChangeOfHost'], 'results_before' | 'results_after'>>
defineProps<{ changes: Change[]; withHost?: boolean }>()
const ticked = defineModel<number[]>('ticked', { default: () => [] })
defineSlots<{ aside?: (props: { change: Change }) => unknown }>()
</script>

<template>
  <ul class="changes">
    <li v-for="one in changes" :key="one.id" :data-change="`${one.kind} ${one.name} ${one.what}`">
      <label v-if="!withHost"><input v-if="!one.accepted_at" v-model="ticked" type="checkbox" :value="one.id" :aria-label="`Accept: ${changeText(one)}`" /></label>
      <div>
        <RouterLink v-if="withHost" :to="{ name: 'host', params: { name: one.host } }">{{ one.host }}</RouterLink>
        <span :class="{ trouble: one.what === 'broke' }">{{ ' ' }}{{ changeText(one) }}</span>
        <div class="soft">
          <span :title="one.not_before ? `after ${exactly(one.not_before)}, by ${exactly(one.at)}` : ''"><TimeAgo :at="one.at" />{{ changedBetween(one) }}</span>
          <template v-if="one.results_before && one.results_after && (one.results_before.passed + one.results_before.failed || one.results_after.passed + one.results_after.failed)">
            · jobs here: {{ one.results_before.failed }} of {{ one.results_before.passed + one.results_before.failed }} failed in the week before,
            <span :class="{ trouble: one.results_after.failed > one.results_before.failed }">{{ one.results_after.failed }} of {{ one.results_after.passed + one.results_after.failed }} in the week since</span>
          </template>
          <span v-if="one.accepted_at" class="well"> · accepted by {{ one.accepted_by }}<template v-if="one.note">: {{ one.note }}</template></span>
        </div>
      </div>
    </li>
  </ul>
</template>

<style scoped>
.changes {
  margin: 0;
  padding: 0;
  list-style: none;
}

li {
  display: flex;
  gap: 8px;
  padding: 4px 0;
  border-bottom: 1px solid var(--fence);
  overflow-wrap: anywhere;
}
</style>
