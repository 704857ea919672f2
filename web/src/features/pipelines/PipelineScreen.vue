<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useAction } from '../../kit/useAction'
import RunStrip from './RunStrip.vue'
import { count, duration } from '../../kit/format'

/** One pipeline: its jobs, what they ask, where they ran, how long they waited. */
const props = defineProps<{ name: string }>()
const pipeline = ref<Schemas['PipelineSheet'] | null>(null)
const { trouble, perform } = useAction()

function load(): Promise<void> {
  return perform(async () => {
    pipeline.value = await answered(api.GET('/api/v1/pipelines/{name}/', { params: { path: { name: props.name } } }))
  })
}

watch(() => props.name, load, { immediate: true })
const loadSoon = gathered(load)
onNote((note) => {
  if (note.noun === 'job' || note.noun === 'everything') loadSoon()
})

const summary = computed(() => {
  const one = pipeline.value
  if (!one) return ''
  const waits = one.wait_median === null ? 'none started yet' : `they usually wait ${duration(one.wait_median)}, at most ${duration(one.wait_longest ?? 0)}`
  const fence = one.paddocks.length ? `${one.paddocks.join(', ')} ${one.paddocks.length === 1 ? 'lets' : 'let'} it in` : 'no paddock lets it in'
  return `${count(one.jobs, 'job')} in 30 days on ${count(one.hosts, 'host')}; ${waits}; ${fence}.`
})
</script>

<template>
  <div class="screen">
    <p class="soft up"><RouterLink :to="{ name: 'board' }">Board</RouterLink> · <RouterLink :to="{ name: 'pipelines' }">Pipelines</RouterLink></p>
    <h1>{{ name }}</h1>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="pipeline">
      <p class="soft">{{ summary }}</p>
      <section v-for="job in pipeline.sheet" :key="job.name" :data-job-name="job.name">
        <h2>
          {{ job.name }}
          <span class="soft">
            {{ count(job.times, 'time') }}<template v-if="job.wait_median !== null">, usually waits {{ duration(job.wait_median) }}</template><template v-if="job.took_median !== null">, takes {{ duration(job.took_median) }}</template>
          </span>
        </h2>
        <div class="two">
          <div>
            <p class="terms">
              <code v-for="term in job.terms" :key="term">{{ term }}</code>
              <code v-for="term in job.prefers" :key="term" class="soft">prefer {{ term }}</code>
              <code v-if="job.slots > 1">{{ job.slots }} slots</code>
              <span v-if="!job.terms.length" class="soft">no terms</span>
            </p>
            <p :class="job.fits ? 'soft' : 'trouble'">{{ job.fits ? `${count(job.fits, 'host')} ${job.fits === 1 ? 'fits' : 'fit'} now` : 'No host fits now' }}</p>
            <p v-if="job.hosts.length" class="hosts">
              Ran on
              <template v-for="(one, at) in job.hosts" :key="one.host"><template v-if="at">, </template><RouterLink :to="{ name: 'host', params: { name: one.host } }">{{ one.host }}</RouterLink> ({{ one.runs }}<template v-if="one.failed">, <span class="trouble">{{ one.failed }} failed</span></template>)</template>
            </p>
          </div>
          <RunStrip :runs="job.runs" />
        </div>
      </section>
    </template>
  </div>
</template>

<style scoped>
.screen {
  padding: 16px 20px 40px;
}

.up {
  margin: 0 0 2px;
}

section {
  padding: 10px 0;
  border-top: 1px solid var(--fence);
}

h2 .soft {
  font-size: 13px;
  font-weight: 400;
}

.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 420px;
  gap: 24px;
}

.two p {
  margin: 2px 0;
}

.terms code {
  display: inline-block;
  margin: 0 6px 4px 0;
  padding: 1px 8px;
  border: 1px solid var(--fence);
  border-radius: 3px;
  background: var(--plate);
}

@media (width < 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
