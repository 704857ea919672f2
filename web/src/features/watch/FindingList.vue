<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Finding } from './findings'
import FindingItem from './FindingItem.vue'
import { count } from '../../kit/format'

/** Findings, the most urgent first: a screenful, the rest on demand, and those put aside folded away. */
const props = defineProps<{ findings: Finding[]; withoutHost?: boolean }>()
const FIRST = 12
const showsAll = ref(false)
const showsAside = ref(false)
const pressing = computed(() => props.findings.filter((one) => !one.aside))
const aside = computed(() => props.findings.filter((one) => one.aside))
const shown = computed(() => (showsAll.value ? pressing.value : pressing.value.slice(0, FIRST)))
</script>

<template>
  <FindingItem v-for="one in shown" :key="one.id" :finding="one" :without-host="withoutHost" />
  <button v-if="pressing.length > shown.length" type="button" class="bare fold" @click="showsAll = true">{{ pressing.length - shown.length }} more</button>
  <template v-if="aside.length">
    <button type="button" class="bare fold" :aria-expanded="showsAside" @click="showsAside = !showsAside">{{ showsAside ? 'Hide' : 'Show' }} {{ count(aside.length, 'finding') }} acknowledged or snoozed</button>
    <template v-if="showsAside"><FindingItem v-for="one in aside" :key="one.id" :finding="one" :without-host="withoutHost" /></template>
  </template>
</template>

<style scoped>
.fold {
  display: block;
  margin: 8px 0;
  color: var(--water);
  font-size: 13px;
}
</style>
