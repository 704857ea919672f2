<script setup lang="ts">
import { computed } from 'vue'
import type { Versions } from './rollouts'
import { count } from '../../kit/format'

/** Which versions run where: one fenced row per paddock, as long as it has hosts, divided by version. */
const props = defineProps<{ shown: Versions }>()
const newest = computed(() => props.shown.held[0]?.version ?? '')
const longest = computed(() => Math.max(1, ...props.shown.paddocks.map((one) => one.versions.reduce((sum, each) => sum + each.hosts, 0))))
const rows = computed(() =>
  props.shown.paddocks.map((one) => {
    const all = one.versions.reduce((sum, each) => sum + each.hosts, 0)
    return { ...one, all, width: `${(100 * all) / longest.value}%`, summary: one.versions.map((each) => `${count(each.hosts, 'host')} with ${each.version}`).join(', ') }
  }),
)
</script>

<template>
  <ol class="spread" aria-label="Agent versions by paddock">
    <li v-for="row in rows" :key="row.paddock" :data-paddock="row.paddock">
      <span class="name">{{ row.paddock }}<span v-if="row.follows" class="soft" title="Upgrades itself once other hosts have proven a version for a day"> follows</span></span>
      <span class="track">
        <span class="fenced" role="img" :aria-label="row.summary" :style="{ width: row.width }">
          <span v-for="one in row.versions" :key="one.version" class="part" :class="{ newest: one.version === newest }" :style="{ flexGrow: one.hosts }" :title="`${one.version}: ${count(one.hosts, 'host')}`">{{ one.version }} <strong>{{ one.hosts }}</strong></span>
        </span>
      </span>
    </li>
  </ol>
</template>

<style scoped>
.spread {
  margin: 10px 0 18px;
  padding: 0;
  list-style: none;
}

li {
  display: flex;
  align-items: center;
  gap: 12px;
  margin-bottom: 6px;
}

.name {
  flex: 0 0 150px;
  font-weight: 600;
}

.name .soft {
  font-weight: 400;
}

.track {
  flex: 1;
  min-width: 0;
}

.fenced {
  display: flex;
  gap: 3px;
  min-width: 150px;
  padding: 3px;
  border: 1.5px solid var(--fence);
  border-radius: 4px;
}

.part {
  overflow: hidden;
  min-width: 62px;
  padding: 1px 8px 2px;
  border: 1px solid var(--slate);
  border-radius: 3px;
  background: repeating-linear-gradient(-45deg, transparent 0 6px, var(--hatch) 6px 8px), var(--plate);
  font-size: 12.5px;
  white-space: nowrap;
}

.part.newest {
  border-color: var(--moss);
  background: var(--plate);
  box-shadow: inset 0 -4px 0 var(--moss);
}
</style>
