<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { OPEN, useVersions } from './rollouts'
import { useSession } from '../people/session'
import StepStrip from './StepStrip.vue'
import VersionSpread from './VersionSpread.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count } from '../../kit/format'

/** Which agents are behind, what is rolling out, and what kept hosts from it? */
const { shown, rollouts, trouble } = useVersions()
const session = useSession()
const router = useRouter()
const newest = computed(() => shown.value?.held[0]?.version ?? '')
const all = computed(() => (shown.value?.paddocks ?? []).reduce((sum, one) => sum + one.versions.reduce((inner, each) => inner + each.hosts, 0), 0))
const open = computed(() => rollouts.value.filter((one) => OPEN.includes(one.state)))
const beyond = computed(() => (shown.value?.behind ?? []).filter((one) => one.reason))
const reachable = computed(() => (shown.value?.behind_count ?? 0) - beyond.value.length)
</script>

<template>
  <div class="screen">
    <div class="row head">
      <h1>Versions</h1>
      <p v-if="shown && !newest" class="sentence">This server holds no agent. Run <code>make wheels</code> on it.</p>
      <p v-else-if="shown && all" class="sentence">
        <template v-if="shown.behind_count"><strong>{{ shown.behind_count }} of {{ count(all, 'host') }}</strong> {{ shown.behind_count === 1 ? 'is' : 'are' }} behind {{ newest }}<template v-if="beyond.length">, {{ beyond.length }} of them out of reach of a rollout</template>.</template>
        <template v-else>All {{ all }} hosts run <strong>{{ newest }}</strong> or newer.</template>
      </p>
      <p v-else-if="shown" class="sentence">No host has connected yet. New ones get {{ newest }}.</p>
      <Button v-if="session.may('administrator') && newest" :type="reachable ? 'primary' : 'default'" data-act="new-rollout" @click="router.push({ name: 'new-rollout' })">Start a rollout…</Button>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="shown">
      <VersionSpread v-if="shown.paddocks.length" :shown="shown" />
      <h2>Rollouts</h2>
      <table v-if="rollouts.length" class="plain-table">
        <thead><tr><th>Rollout</th><th>Progress</th><th>State</th><th>Hosts</th><th>Started</th></tr></thead>
        <tbody>
          <tr v-for="one in rollouts" :key="one.id" :data-rollout="one.id" :class="{ open: open.includes(one) }">
            <td><RouterLink :to="{ name: 'rollout', params: { id: one.id } }">{{ one.undoes ? `Back from rollout ${one.undoes}` : `${one.id}: to ${one.version}` }}</RouterLink></td>
            <td><StepStrip :counts="one.counts" /></td>
            <td><strong v-if="one.state === 'waiting for approval'" class="note">waits for approval</strong><template v-else>{{ one.state }}</template>{{ ' ' }}<span v-if="one.reason" class="trouble">{{ one.reason }}</span></td>
            <td class="soft">{{ one.chosen_by }}</td>
            <td class="soft">by {{ one.asked_by }}, <TimeAgo :at="one.asked_at" /></td>
          </tr>
        </tbody>
      </table>
      <p v-else class="soft">No rollouts yet. A rollout installs a version beside the one that runs. Each host proves it with a job, or goes back by itself.</p>
      <template v-if="beyond.length">
        <h2>Behind, and out of reach of a rollout</h2>
        <table class="plain-table">
          <tbody>
            <tr v-for="one in beyond.slice(0, 40)" :key="one.host" :data-behind="one.host">
              <td><RouterLink :to="{ name: 'host', params: { name: one.host } }">{{ one.host }}</RouterLink> <span class="soft">{{ one.paddock }}</span></td>
              <td class="machine">{{ one.version }}</td>
              <td>{{ one.reason }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="beyond.length > 40" class="soft">{{ beyond.length - 40 }} more.</p>
      </template>
      <h2>Held by this server</h2>
      <table class="plain-table">
        <thead><tr><th>Version</th><th>Link</th><th>Python</th><th>Changes</th></tr></thead>
        <tbody>
          <tr v-for="one in shown.held" :key="one.version" :data-held="one.version">
            <td class="machine">{{ one.version }}</td>
            <td>{{ one.protocol }}</td>
            <td class="machine">{{ one.requires_python }}</td>
            <td>
              <details v-if="one.changes"><summary>{{ count(one.changes.split('\n- ').length, 'change') }}</summary><p class="changes">{{ one.changes }}</p></details>
              <span v-else class="soft">not described</span>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>

<style scoped>
.sentence {
  flex: 1;
}

h2 {
  margin: 18px 0 4px;
}

tr.open td:first-child {
  border-left: 4px solid var(--yellow);
  padding-left: 8px;
}

.changes {
  white-space: pre-line;
}
</style>
