<script setup lang="ts">
import { Button, Dropdown, Input, Menu } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { answered, api } from '../../api/client'
import type { Finding } from './findings'
import { useSession } from '../people/session'
import AskMachine from '../host/AskMachine.vue'
import CopyText from '../../kit/CopyText.vue'
import { useAction } from '../../kit/useAction'
import HandItem from '../yard/HandItem.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count } from '../../kit/format'
import { exactly } from '../../kit/moments'

/** One finding: what is wrong, the evidence for it, the remedy in place, and putting it aside. */
const props = defineProps<{ finding: Finding; open?: boolean; withoutHost?: boolean }>()
const session = useSession()
const { isBusy, trouble, perform } = useAction()
const isOpen = ref(props.open ?? false)
const note = ref('')
const noting = ref(false)
const acted = ref(false)

const ACTIONS: Record<string, string> = {
  'restart agent': 'Restart the agent',
  'start service': 'Start the service',
  'request start': 'Let the watch start it',
  hold: 'Hold the host',
}
const SNOOZES = [
  { key: 'hour', title: 'for an hour', hours: 1 },
  { key: 'tomorrow', title: 'until tomorrow', hours: 24 },
  { key: 'week', title: 'for a week', hours: 7 * 24 },
]
const path = computed(() => ({ params: { path: { id: props.finding.id } } }))
const mayAct = computed(() => session.may('operator', props.finding.paddock || undefined))
const kind = computed(() => (props.finding.severity === 'note' ? 'note' : 'trouble'))
/** The hosts that are named; of many, the first. */
const named = computed(() => props.finding.hosts.slice(0, 3))

function act(): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/findings/{id}/act/', path.value))
    acted.value = true
  })
}

function acknowledge(): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/findings/{id}/acknowledge/', { ...path.value, body: { note: note.value } }))
    noting.value = false
  })
}

function snooze(hours: number): Promise<void> {
  const until = new Date(Date.now() + hours * 3_600_000).toISOString()
  return perform(() => answered(api.POST('/api/v1/findings/{id}/snooze/', { ...path.value, body: { until, note: '' } })))
}

function reopen(): Promise<void> {
  return perform(() => answered(api.POST('/api/v1/findings/{id}/reopen/', path.value)))
}
</script>

<template>
  <HandItem :what="finding.severity" :since="finding.since" :kind="kind" :data-finding="finding.code" :data-about-host="finding.hosts[0]" :class="{ aside: finding.aside }">
    <template #title>
      <template v-if="!withoutHost && named.length">
        <template v-for="(name, i) in named" :key="name"><template v-if="i">, </template><RouterLink :to="{ name: 'host', params: { name } }">{{ name }}</RouterLink></template><template v-if="finding.hosts.length > named.length"> and {{ finding.hosts.length - named.length }} more</template>:
      </template>
      {{ finding.title }}
    </template>
    {{ finding.sentence }}
    <template #more>
      <p v-if="finding.acknowledged_at" class="note">Acknowledged by {{ finding.acknowledged_by }}<template v-if="finding.note">: {{ finding.note }}</template></p>
      <p v-else-if="finding.aside && finding.snoozed_until" class="note">Snoozed until {{ exactly(finding.snoozed_until) }}</p>
      <button type="button" class="bare more" :aria-expanded="isOpen" @click="isOpen = !isOpen">{{ isOpen ? 'Less' : 'Evidence and remedy' }}</button>
      <div v-if="isOpen" class="inside">
        <ul>
          <li v-for="(one, i) in finding.evidence" :key="i"><template v-if="one.at"><TimeAgo :at="new Date(one.at * 1000).toISOString()" />: </template>{{ one.text }}</li>
        </ul>
        <p v-if="finding.unknown"><strong>Unknown.</strong> {{ finding.unknown }}</p>
        <template v-if="finding.possible.length">
          <p><strong>Possible causes.</strong> Each command checks one of them.</p>
          <ol data-possible>
            <li v-for="one in finding.possible" :key="one.sentence">{{ one.sentence }}<CopyText v-if="one.command" :text="one.command" /></li>
          </ol>
        </template>
        <p><strong>Remedy.</strong> {{ finding.remedy.sentence }}</p>
        <CopyText v-for="command in finding.remedy.commands" :key="command" :text="command" />
        <AskMachine v-if="finding.hosts.length === 1" :host="finding.hosts[0]!" :may-ask="mayAct" />
        <p v-if="finding.hosts.length > named.length" class="soft">{{ count(finding.hosts.length, 'host') }}: {{ finding.hosts.join(', ') }}</p>
      </div>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    </template>
    <template v-if="mayAct" #actions>
      <Button v-if="finding.remedy.action" size="small" type="primary" :disabled="acted" :loading="isBusy" data-act @click="act">{{ acted ? 'Asked' : ACTIONS[finding.remedy.action] }}</Button>
      <template v-if="!finding.aside">
        <Button size="small" @click="noting = !noting">Acknowledge</Button>
        <Dropdown :trigger="['click']">
          <Button size="small">Snooze…</Button>
          <template #overlay>
            <Menu>
              <Menu.Item v-for="one in SNOOZES" :key="one.key" @click="snooze(one.hours)">{{ one.title }}</Menu.Item>
            </Menu>
          </template>
        </Dropdown>
      </template>
      <Button v-else size="small" @click="reopen">Reopen</Button>
      <form v-if="noting" class="noting" @submit.prevent="acknowledge">
        <Input v-model:value="note" size="small" :maxlength="1000" placeholder="Note for colleagues (optional)" />
        <Button size="small" type="primary" html-type="submit" :loading="isBusy">Acknowledge</Button>
      </form>
    </template>
  </HandItem>
</template>

<style scoped>
.more {
  color: var(--water);
  font-size: 13px;
}

.inside {
  display: flex;
  flex-direction: column;
  gap: 5px;
  margin: 4px 0;
  font-size: 13px;
}

ul,
ol {
  margin: 0;
  padding-left: 16px;
}

ol {
  padding-left: 20px;
}

.noting {
  display: flex;
  flex-basis: 100%;
  gap: 8px;
}

.aside :deep(h3),
.aside :deep(.when) {
  color: var(--ink-soft);
}
</style>
