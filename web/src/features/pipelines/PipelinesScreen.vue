<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { allRows, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import SecretsPanel from './SecretsPanel.vue'
import SourcesPanel from './SourcesPanel.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { duration } from '../../kit/format'

/** Which pipelines send jobs, how long they wait, what part of the fleet they have, and who lets them in? */
const session = useSession()
const pipelines = ref<Schemas['Pipeline'][] | null>(null)
const { trouble, perform } = useAction()

function load(): Promise<void> {
  return perform(async () => {
    pipelines.value = await allRows((query) => api.GET('/api/v1/pipelines/', { params: { query } }))
  })
}

onMounted(load)
const loadSoon = gathered(load)
onNote((note) => {
  if (note.noun === 'job' || note.noun === 'paddock' || note.noun === 'everything') loadSoon()
})
</script>

<template>
  <div class="screen">
    <p class="soft up"><RouterLink :to="{ name: 'board' }">Board</RouterLink></p>
    <h1>Pipelines <span class="soft">in the last 30 days</span></h1>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="pipelines && !pipelines.length" class="soft">No pipeline has sent a job yet. <code>paddock submit paddock.yaml</code> sends one from a terminal. A Git source sends jobs on each push.</p>
    <div v-if="pipelines?.length" class="wide">
      <table class="plain-table">
        <thead>
          <tr>
            <th>Pipeline</th>
            <th>Jobs</th>
            <th>Now</th>
            <th>Failed</th>
            <th>Hosts</th>
            <th>Usual wait</th>
            <th>Longest</th>
            <th title="Share of the recent fleet usage of all pipelines; older hours count less">Usage share</th>
            <th>Let in by</th>
            <th>Last sent</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in pipelines" :key="one.name" :data-pipeline="one.name">
            <td><RouterLink :to="{ name: 'pipeline', params: { name: one.name } }">{{ one.name }}</RouterLink></td>
            <td>{{ one.jobs }}</td>
            <td>
              <template v-if="one.running">{{ one.running }} running</template><template v-if="one.running && one.waiting">, </template><template v-if="one.waiting">{{ one.waiting }} waiting</template><span v-if="!one.running && !one.waiting" class="soft">quiet</span>
            </td>
            <td :class="{ trouble: one.failed }">{{ one.failed || '' }}</td>
            <td>{{ one.hosts }}</td>
            <td>{{ one.wait_median === null ? '' : duration(one.wait_median) }}</td>
            <td>{{ one.wait_longest === null ? '' : duration(one.wait_longest) }}</td>
            <td><span class="share"><i :style="{ width: `${Math.round(one.share * 100)}%` }" aria-hidden="true"></i></span> {{ Math.round(one.share * 100) }} %</td>
            <td>{{ one.paddocks.join(', ') }}<span v-if="!one.paddocks.length" class="trouble">no paddock</span></td>
            <td><TimeAgo :at="one.last_at" /></td>
          </tr>
        </tbody>
      </table>
    </div>
    <SourcesPanel />
    <SecretsPanel v-if="session.may('administrator')" />
  </div>
</template>

<style scoped>
.screen {
  padding: 16px 20px 40px;
}

.up {
  margin: 0 0 2px;
}

.wide {
  overflow-x: auto;
}

.share {
  display: inline-block;
  width: 60px;
  height: 7px;
  border: 1px solid var(--fence);
  background: var(--plate);
  vertical-align: middle;
}

.share i {
  display: block;
  height: 100%;
  background: var(--slate);
}
</style>
