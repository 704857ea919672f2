<script setup lang="ts">
import { computed } from 'vue'
import { useComing } from '../bring-up/expected-hosts'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count, systemName } from '../../kit/format'

/** The machines that are on their way in, each with where it stands; those that need a person first. */
const MOST = 12
const coming = useComing()
const ORDER = ['failed', 'cut off', 'at the gate', 'under way', 'expected']
const sorted = computed(() => [...coming.sheets].sort((a, b) => ORDER.indexOf(a.phase) - ORDER.indexOf(b.phase)))
const shown = computed(() => sorted.value.slice(0, MOST))
</script>

<template>
  <section aria-label="Expected machines">
    <h2>Expected machines</h2>
    <p v-if="!coming.sheets.length" class="soft">None.</p>
    <ul v-else>
      <li v-for="sheet in shown" :key="sheet.id" :data-coming="sheet.title">
        <RouterLink :to="{ name: 'bring-up', params: { id: String(sheet.id) } }"><strong>{{ sheet.title }}</strong></RouterLink>
        <span class="soft">&ensp;{{ systemName(sheet.system) }}, for {{ sheet.paddock }}, <TimeAgo :at="sheet.made_at" /></span><br />
        <span :class="{ trouble: sheet.phase === 'failed' || sheet.phase === 'cut off' }">{{ sheet.sentence }}</span>
      </li>
    </ul>
    <p v-if="sorted.length > MOST" class="soft">And {{ count(sorted.length - MOST, 'more') }}, in the yard.</p>
  </section>
</template>

<style scoped>
ul {
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
}

li {
  padding: 5px 0;
  border-bottom: 1px solid var(--fence);
}
</style>
