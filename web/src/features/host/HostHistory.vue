<script setup lang="ts">
import { ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import LogbookLines from '../logbook/LogbookLines.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { duration } from '../../kit/format'

/** The jobs that were tried on a host, and its lines of the logbook. */
const props = defineProps<{ name: string }>()
const jobs = ref<Schemas['Job'][]>([])
const lines = ref<Schemas['Entry'][]>([])

async function load(): Promise<void> {
  const asked = props.name
  const [ran, wrote] = await Promise.allSettled([
    answered(api.GET('/api/v1/jobs/', { params: { query: { host: asked, page_size: 12 } } })),
    answered(api.GET('/api/v1/logbook/', { params: { query: { thing: asked, page_size: 12 } } })),
  ])
  if (asked !== props.name) return
  jobs.value = ran.status === 'fulfilled' ? ran.value.results : []
  lines.value = wrote.status === 'fulfilled' ? wrote.value.results : []
}

const loadSoon = gathered(load, 300)
watch(() => props.name, load, { immediate: true })
onNote((note) => {
  if (note.noun === 'job' || note.noun === 'everything' || (note.noun === 'host' && note.name === props.name)) loadSoon()
})

function took(job: Schemas['Job']): string {
  const mine = job.attempts.filter((one) => one.host === props.name).pop()
  if (!mine?.started_at || !mine.ended_at) return mine?.state ?? ''
  return duration((Date.parse(mine.ended_at) - Date.parse(mine.started_at)) / 1000)
}
</script>

<template>
  <div class="columns">
    <section>
      <h2>Jobs here</h2>
      <p v-if="!jobs.length" class="soft">No jobs here yet.</p>
      <table v-else class="plain-table">
        <tbody>
          <tr v-for="job in jobs" :key="job.id">
            <td><RouterLink :to="{ name: 'board', params: { id: String(job.id) } }">{{ job.name }}</RouterLink><span class="soft"> · {{ job.pipeline }}</span></td>
            <td :class="{ well: job.state === 'passed', trouble: ['failed', 'lost', 'timed out'].includes(job.state) }">{{ job.state }}</td>
            <td>{{ took(job) }}</td>
            <td><TimeAgo :at="job.submitted_at" /></td>
          </tr>
        </tbody>
      </table>
    </section>
    <section>
      <h2>History</h2>
      <LogbookLines :lines="lines" />
    </section>
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 28px;
  margin-top: 22px;
}

@media (width < 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
