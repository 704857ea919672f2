<script setup lang="ts">
import { Button } from 'ant-design-vue'
import type { Schemas } from '../../api/client'
import TimeAgo from '../../kit/TimeAgo.vue'
import { browserName } from './roles'

/** Log-ins in browsers: from where, how, and when they were last used. */
defineProps<{ sessions: Schemas['SessionOfPerson'][]; mayEnd?: boolean; isBusy?: boolean }>()
defineEmits<{ end: [id: string] }>()
</script>

<template>
  <p v-if="!sessions.length" class="soft">No open sessions.</p>
  <table v-else class="plain-table">
    <thead><tr><th scope="col">Browser</th><th scope="col">From</th><th scope="col">Last seen</th><th scope="col">Logged in</th><th v-if="mayEnd" scope="col"><span class="for-screen-readers">Actions</span></th></tr></thead>
    <tbody>
      <tr v-for="one in sessions" :key="one.id" :data-session="one.id">
        <td :title="one.browser">{{ browserName(one.browser) }}<strong v-if="one.is_this" class="note"> · this browser</strong></td>
        <td class="machine">{{ one.address || 'unknown' }}</td>
        <td><TimeAgo v-if="one.last_seen_at" :at="one.last_seen_at" /></td>
        <td><TimeAgo v-if="one.opened_at" :at="one.opened_at" /> <span class="soft">{{ one.method }}</span></td>
        <td v-if="mayEnd" class="acts"><Button v-if="!one.is_this" size="small" :disabled="isBusy" data-act="end-session" @click="$emit('end', one.id)">End</Button></td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.acts {
  text-align: right;
}
</style>
