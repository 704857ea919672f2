<script setup lang="ts">
import { ref, watch } from 'vue'
import { allRows, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useNow } from '../../kit/clock'
import { duration } from '../../kit/format'

/** What still runs on a host that is drained or held, and how long that usually takes. */
const props = defineProps<{ name: string }>()
const work = ref<Schemas['HostWork'][]>([])
const now = useNow()

async function load(): Promise<void> {
  work.value = await allRows((query) => api.GET('/api/v1/hosts/{name}/work/', { params: { path: { name: props.name }, query } })).catch(() => [])
}
const loadSoon = gathered(load)
watch(() => props.name, () => void load(), { immediate: true })
onNote((note) => {
  if (note.noun === 'job' || note.noun === 'everything' || (note.noun === 'host' && note.name === props.name)) loadSoon()
})
const since = (one: Schemas['HostWork']) => (now.value - Date.parse(one.since)) / 1000
</script>

<template>
  <p v-if="work.length" class="work" data-work>
    Still running:
    <span v-for="one in work" :key="one.job">
      <RouterLink :to="{ name: 'run', params: { id: one.job } }">{{ one.name }}</RouterLink> of {{ one.pipeline }}, for {{ duration(since(one)) }}<template v-if="one.usual"> usually {{ duration(one.usual) }}</template>
    </span>
  </p>
</template>

<style scoped>
.work {
  margin: 4px 0 10px;
}

span + span::before {
  content: '; ';
}
</style>
