<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { useSession } from '../people/session'
import CopyText from '../../kit/CopyText.vue'
import { useAction } from '../../kit/useAction'
import TimeAgo from '../../kit/TimeAgo.vue'
import { duration } from '../../kit/format'

/** The agent's own service as the watch sees it, and the services that builds need. */
const props = defineProps<{ host: Schemas['Host'] }>()
const session = useSession()
const { isBusy, trouble, perform } = useAction()
const mayTry = computed(() => session.may('operator', props.host.paddock) && props.host.link === 'connected')

function tryIt(name: string, verb: 'start' | 'stop'): Promise<void> {
  return perform(() => answered(api.POST('/api/v1/hosts/{name}/service/', { params: { path: { name: props.host.name } }, body: { name, verb } })))
}
</script>

<template>
  <section>
    <h2>Services</h2>
    <table class="plain-table">
      <tbody>
        <tr>
          <td>agent</td>
          <td v-if="host.watch">
            <strong :class="host.watch.running === 'running' ? 'well' : 'trouble'">{{ host.watch.running }}</strong>
            <span class="soft"> · {{ host.watch.sentence }} Machine up for {{ duration(host.watch.uptime) }}.</span>
          </td>
          <td v-else class="soft">No watch on this host: <code>paddock-agent watch install</code></td>
          <td class="soft"><template v-if="host.watch">reported <TimeAgo :at="host.watch.at" /><strong v-if="host.watch.is_silent" class="trouble"> · silent</strong></template></td>
        </tr>
        <tr v-for="one in host.watched" :key="one.name" :data-service="one.name">
          <td class="machine">{{ one.name }}</td>
          <td>
            <strong :class="one.running === 'running' ? 'well' : 'trouble'">{{ one.running }}</strong>
            <span class="soft"> · since <TimeAgo :at="one.since" /><template v-if="one.detail"> · {{ one.detail }}</template></span>
            <template v-if="one.tried.why">
              <p class="trouble">Could not {{ one.tried.verb }} it: {{ one.tried.why }}</p>
              <p v-if="one.tried.remedy?.length" class="soft">To allow the agent's account to do it:</p>
              <CopyText v-for="command in one.tried.remedy" :key="command" :text="command" />
            </template>
          </td>
          <td v-if="mayTry">
            <Button v-if="one.running !== 'running'" size="small" :disabled="isBusy || one.running === 'missing'" @click="tryIt(one.name, 'start')">Start</Button>
            <Popconfirm v-else :title="`Stop ${one.name} on ${host.name}? Jobs that ask for it run elsewhere until it is started.`" ok-text="Stop" cancel-text="Cancel" @confirm="tryIt(one.name, 'stop')">
              <Button size="small" :disabled="isBusy">Stop…</Button>
            </Popconfirm>
          </td>
          <td v-else></td>
        </tr>
      </tbody>
    </table>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </section>
</template>

<style scoped>
section {
  margin-top: 22px;
}

td:last-child {
  width: 130px;
  text-align: right;
}
</style>
