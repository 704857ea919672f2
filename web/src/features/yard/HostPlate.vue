<script setup lang="ts">
import { computed } from 'vue'
import type { Plate } from './yard'
import { plateMarks, plateWord } from './plate'
import PlateTrace from './PlateTrace.vue'
import SlotMarks from './SlotMarks.vue'
import { useNow } from '../../kit/clock'
import { ago, count, systemName } from '../../kit/format'

const props = defineProps<{ plate: Plate }>()
const now = useNow(30_000)
const word = computed(() => plateWord(props.plate))
const since = computed(() => (props.plate.link_since ? `${props.plate.link}, since ${ago(props.plate.link_since, now.value)}` : props.plate.link))
</script>

<template>
  <RouterLink
    class="plate plate-marks"
    :class="plateMarks(plate)"
    :to="{ name: 'host', params: { name: plate.name } }"
    :title="`${plate.name}: ${since}${plate.findings ? `; ${count(plate.findings, 'finding')}` : ''}`"
    :data-findings="plate.findings"
    :data-host="plate.name"
    :data-link="plate.link"
  >
    <span class="line">
      <strong>{{ plate.name }}</strong>
      <SlotMarks :slots="plate.slots" :working="plate.working" />
    </span>
    <span class="line">
      <span class="soft">{{ systemName(plate.os) }}{{ plate.arch ? ` · ${plate.arch}` : '' }}</span>
      <em v-if="word" :class="{ trouble: plate.link === 'lost' }">{{ word }}</em>
    </span>
    <i v-if="plate.findings" class="corner" aria-hidden="true"></i>
    <span v-if="plate.findings" class="for-screen-readers">{{ count(plate.findings, 'finding') }}</span>
    <PlateTrace :trace="plate.trace" />
  </RouterLink>
</template>

<style scoped>
.plate {
  position: relative;
  display: flex;
  flex-direction: column;
  gap: 3px;
  min-width: 0;
  padding: 6px 8px 5px;
  color: var(--ink);
  font-size: 12.5px;
  text-decoration: none;
}

.plate:hover {
  border-color: var(--ink);
}

.plate:has(.corner) .line:first-child {
  padding-right: 9px;
}

.line {
  display: flex;
  align-items: flex-start;
  justify-content: space-between;
  gap: 6px;
}

strong {
  overflow: hidden;
  font-size: 13.5px;
  font-weight: 600;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.line > .soft {
  overflow: hidden;
  font-size: 12px;
  text-overflow: ellipsis;
  white-space: nowrap;
}

em {
  flex: none;
  font-size: 12px;
  font-style: normal;
  font-weight: 500;
}
</style>
