<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answered, api, type Schemas } from '../../api/client'
import { useCopying } from '../../kit/copying'
import { useAction } from '../../kit/useAction'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count } from '../../kit/format'

/** What differed between two runs: the pass and the failure. */
const TITLES: Record<Schemas['RunDifference']['group'], string> = {
  steps: 'Steps',
  job: 'Request',
  'bound tools': 'Tools used',
  host: 'Host',
  environment: 'Environment',
  tools: 'Other tools on the host',
}
const route = useRoute()
const router = useRouter()
const found = ref<Schemas['Comparison'] | null>(null)
const { trouble, perform } = useAction()
const { word, copy } = useCopying()

watch(
  () => [String(route.query.first ?? ''), String(route.query.second ?? '')],
  ([first, second]) => {
    if (!first || !second) return
    void perform(async () => {
      found.value = await answered(api.GET('/api/v1/compare-runs/', { params: { query: { first, second } } }))
    })
  },
  { immediate: true },
)

const parts = computed(() =>
  (Object.keys(TITLES) as Schemas['RunDifference']['group'][])
    .map((group) => ({ group, title: TITLES[group], rows: (found.value?.differences ?? []).filter((row) => row.group === group) }))
    .filter((part) => part.rows.length),
)
const asText = computed(() => (found.value?.differences ?? []).map((row) => [row.group, row.name, row.first ?? '', row.second ?? ''].join('\t')).join('\n'))
const runs = computed(() => (found.value ? [found.value.first, found.value.second] : []))

function swap(): void {
  void router.replace({ query: { first: route.query.second, second: route.query.first } })
}
</script>

<template>
  <div class="screen">
    <div class="row head">
      <h1>Two runs</h1>
      <Button v-if="found" @click="swap">Swap</Button>
      <Button v-if="found" @click="copy(asText)">{{ word }} as a table</Button>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="found">
      <p class="soft">{{ found.differences.length ? `${count(found.differences.length, 'difference')}; everything else recorded is the same.` : 'No recorded differences.' }}</p>
      <table class="plain-table">
        <thead>
          <tr>
            <th scope="col" class="what"><span class="for-screen-readers">What</span></th>
            <th v-for="run in runs" :key="`${run.job}-${run.number}`" scope="col" class="run">
              <RouterLink :to="{ name: 'run', params: { id: run.job }, query: { attempt: run.number } }">{{ run.name }} {{ run.job }}-{{ run.number }}</RouterLink>
              <span class="state" :class="run.state === 'passed' ? 'well' : 'trouble'">{{ run.state }}</span> on {{ run.host }}, <TimeAgo :at="run.offered_at" />
            </th>
          </tr>
        </thead>
        <tbody v-for="part in parts" :key="part.group" :data-group="part.group">
          <tr><th scope="rowgroup" colspan="3" class="part">{{ part.title }}</th></tr>
          <tr v-for="row in part.rows" :key="row.name" :data-name="row.name">
            <td>{{ row.name }}<span v-if="row.used && part.group === 'tools'" class="soft"> asked for</span></td>
            <td v-for="(value, at) in [row.first, row.second]" :key="at" class="machine value" :class="{ absent: value === null, second: at === 1 }">{{ value === null ? 'not there' : value || 'set, value not recorded' }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <p v-else-if="!trouble" class="soft">Open a run and choose another to compare.</p>
  </div>
</template>

<style scoped>
.head {
  gap: 12px;
  margin-bottom: 6px;
}

.what {
  width: 200px;
}

.run {
  width: 42%;
  font-size: 13px;
}

.state {
  margin-left: 8px;
}

.part {
  padding-top: 16px;
  color: var(--ink);
  font-size: 14px;
  font-weight: 600;
}

.value {
  max-width: 0;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}

.second {
  background: color-mix(in srgb, var(--yellow) 22%, transparent);
}

.absent {
  color: var(--ink-soft);
  font-style: italic;
}
</style>
