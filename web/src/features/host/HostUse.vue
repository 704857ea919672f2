<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import WeekGrid from '../plan/WeekGrid.vue'
import { percent, ZONE } from '../plan/plan'
import { count } from '../../kit/format'

/** Who used this host in the last 30 days, when is it busy, and how fast is it beside its peers? */
const props = defineProps<{ name: string }>()
const shown = ref<Schemas['HostUse'] | null>(null)
const trouble = ref('')

watch(
  () => props.name,
  async (name) => {
    shown.value = null
    trouble.value = ''
    const until = new Date()
    const query = { since: new Date(until.getTime() - 30 * 86_400_000).toISOString(), until: until.toISOString(), zone: ZONE }
    try {
      const found = await answered(api.GET('/api/v1/hosts/{name}/use/', { params: { path: { name }, query } }))
      if (name === props.name) shown.value = found
    } catch (error) {
      trouble.value = (error as Error).message
    }
  },
  { immediate: true },
)

const speed = computed(() => {
  const found = shown.value?.speed
  if (!found) return 'Too few of its jobs ran on other hosts too, so nothing is known of its speed.'
  const times = found.factor.toFixed(2)
  const bounds = `${found.low.toFixed(2)} to ${found.high.toFixed(2)}, ${found.runs.toLocaleString('en-GB')} jobs against ${count(found.peers, 'host')}`
  return found.is_certain ? `Jobs take ${times} times as long here as on its peers (${bounds}).` : `Jobs take about as long here as on its peers (${bounds}).`
})
</script>

<template>
  <section v-if="trouble || shown?.runs" data-part="use">
    <h2>Use <span class="soft">last 30 days</span></h2>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-else-if="shown">
      <p>{{ shown.runs.toLocaleString('en-GB') }} {{ shown.runs === 1 ? 'job' : 'jobs' }} used {{ Math.round(shown.slot_hours) }} slot-hours, <strong>{{ percent(shown.busy_share) }}</strong> of what it has. <span data-part="speed">{{ speed }}</span></p>
      <WeekGrid :grid="shown.week" :label="`Busy slots of ${name} by hour of the week`" />
      <p>By {{ shown.pipelines.slice(0, 5).map((one) => `${one.name} ${Math.round(one.slot_hours)} h`).join(', ') }}; sent by {{ shown.persons.slice(0, 5).map((one) => `${one.name} ${Math.round(one.slot_hours)} h`).join(', ') }}.</p>
    </template>
  </section>
</template>

<style scoped>
h2 {
  margin: 18px 0 6px;
}

h2 .soft {
  font-weight: 400;
}
</style>
