<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { useRouter } from 'vue-router'
import { useChores } from './chores'
import { useSession } from '../people/session'
import ChoreStrip from './ChoreStrip.vue'
import TimeAgo from '../../kit/TimeAgo.vue'

/** What was done to many hosts at once, what is under way, and what can be done again? */
const { kept, runs, trouble } = useChores()
const session = useSession()
const router = useRouter()
</script>

<template>
  <div class="screen">
    <div class="row head">
      <h1>Chores</h1>
      <p class="soft">Runs a script on chosen hosts, a few at a time. A survey then verifies the result on each host.</p>
      <Button v-if="session.may('administrator')" type="primary" @click="router.push({ name: 'new-chore' })">New chore</Button>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <h2>Runs</h2>
    <table v-if="runs.length" class="plain-table">
      <thead><tr><th>Chore</th><th>Progress</th><th>State</th><th>Hosts</th><th>Started</th></tr></thead>
      <tbody>
        <tr v-for="run in runs" :key="run.id" :data-run="run.id">
          <td><RouterLink :to="{ name: 'chore-run', params: { id: run.id } }">{{ run.chore }}</RouterLink></td>
          <td><ChoreStrip :counts="run.counts" /></td>
          <td><strong v-if="run.state === 'waiting for approval'" class="note">waits for approval</strong><template v-else>{{ run.state }}</template></td>
          <td class="soft">{{ run.chosen_by }}</td>
          <td class="soft">by {{ run.asked_by }}, <TimeAgo :at="run.asked_at" /></td>
        </tr>
      </tbody>
    </table>
    <p v-else class="soft">No runs yet.</p>
    <h2>Saved chores</h2>
    <table v-if="kept.length" class="plain-table">
      <tbody>
        <tr v-for="chore in kept" :key="chore.id" :data-chore="chore.name">
          <td><strong>{{ chore.name }}</strong> <span class="soft">{{ chore.purpose }}</span></td>
          <td><code v-for="term in chore.wanted" :key="term" class="term">{{ term }}</code></td>
          <td class="right"><Button v-if="session.may('administrator')" size="small" @click="router.push({ name: 'new-chore', query: { chore: chore.id } })">Run…</Button></td>
        </tr>
      </tbody>
    </table>
    <p v-else class="soft">No saved chores.</p>
  </div>
</template>

<style scoped>
.head p {
  flex: 1;
}

h2 {
  margin: 18px 0 4px;
}

.term {
  margin-right: 8px;
}

.right {
  text-align: right;
}
</style>
