<script setup lang="ts">
const MARKS = [
  ['connected', 'connected'],
  ['lost', 'lost'],
  ['stopped', 'stopped'],
  ['asleep', 'asleep on purpose'],
  ['at-the-gate', 'at the gate'],
  ['held', 'held'],
  ['draining', 'draining'],
]
</script>

<template>
  <div class="legend" aria-label="What the marks mean">
    <span v-for="[mark, word] in MARKS" :key="mark"><i class="plate-marks" :class="mark"></i>{{ word }}</span>
    <span><i class="plate-marks-expected"></i>expected</span>
    <span><i class="plate-marks connected folded"><b class="corner"></b></i>has a finding</span>
    <span><i class="slot"></i>slot working</span>
    <span class="end">trace: last 24 hours</span>
  </div>
</template>

<style scoped>
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
  color: var(--ink-soft);
  font-size: 12px;
}

span {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}

i {
  width: 20px;
  height: 12px;
}

.folded {
  position: relative;
}

.slot {
  width: 10px;
  height: 10px;
  border: 1px solid var(--yellow-deep);
  border-radius: 2px;
  background: var(--yellow);
}

.end {
  margin-left: auto;
}
</style>
