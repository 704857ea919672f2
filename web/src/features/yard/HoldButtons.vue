<script setup lang="ts">
import { Button, Input, Popover, Select } from 'ant-design-vue'
import { ref } from 'vue'
import { allRows, answered, api, type Schemas } from '../../api/client'
import { useAction } from '../../kit/useAction'
import TimeAgo from '../../kit/TimeAgo.vue'

/** Holds or drains a host, or all of a paddock, with a reason and a planned end. */
const props = defineProps<{ host?: string; paddock?: string; size?: 'small' }>()
const emit = defineEmits<{ done: [result: string] }>()
const open = ref<'hold' | 'drain' | null>(null)
const reason = ref('')
const minutes = ref(0)
const { isBusy, trouble, perform } = useAction()
const ENDS = [
  { value: 0, label: 'until a person resumes it' }, { value: 60, label: 'for an hour' }, { value: 240, label: 'for four hours' },
  { value: 1440, label: 'for a day' }, { value: 10080, label: 'for a week' },
]
const MESSAGES = { hold: 'Held: no new jobs.', drain: 'Draining: running jobs finish.' }

const running = ref<Schemas['HostWork'][]>([])

/** What runs there now, so that who drains a host sees what it waits for. */
async function show(verb: 'hold' | 'drain', is: boolean): Promise<void> {
  open.value = is ? verb : null
  running.value = []
  const name = props.host
  if (!is || !name) return
  running.value = await allRows((query) => api.GET('/api/v1/hosts/{name}/work/', { params: { path: { name }, query } })).catch(() => [])
}

function act(verb: 'hold' | 'drain'): Promise<void> {
  return perform(async () => {
    const body = { reason: reason.value.trim(), until: minutes.value ? new Date(Date.now() + minutes.value * 60_000).toISOString() : null }
    if (props.host) {
      const params = { path: { name: props.host } }
      await answered(verb === 'hold' ? api.POST('/api/v1/hosts/{name}/hold/', { params, body }) : api.POST('/api/v1/hosts/{name}/drain/', { params, body }))
    } else {
      await answered(api.POST('/api/v1/paddocks/{name}/{verb}/', { params: { path: { name: props.paddock ?? '', verb } }, body }))
    }
    open.value = null
    reason.value = ''
    emit('done', MESSAGES[verb])
  })
}
</script>

<template>
  <Popover v-for="verb in ['hold', 'drain'] as const" :key="verb" :open="open === verb" trigger="click" placement="bottomRight" @update:open="(is: boolean) => void show(verb, is)">
    <template #content>
      <form class="why" @submit.prevent="act(verb)">
        <p class="soft">{{ verb === 'hold' ? 'No new jobs. Running jobs go on.' : 'Running jobs finish, then the host is held.' }}</p>
        <ul v-if="running.length" data-part="running">
          <li v-for="one in running.slice(0, 5)" :key="one.job"><RouterLink :to="{ name: 'run', params: { id: one.job } }">{{ one.name }}</RouterLink> <span class="soft">{{ one.pipeline }}, since <TimeAgo :at="one.since" /></span></li>
          <li v-if="running.length > 5" class="soft">and {{ running.length - 5 }} more</li>
        </ul>
        <Input v-model:value="reason" placeholder="Reason (for colleagues)" :maxlength="300" aria-label="Reason" data-field="reason" />
        <Select v-model:value="minutes" :options="ENDS" aria-label="Planned end" />
        <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        <Button type="primary" html-type="submit" :loading="isBusy" :data-act="`do-${verb}`">{{ verb === 'hold' ? 'Hold' : 'Drain' }} {{ host ?? `all of ${paddock}` }}</Button>
      </form>
    </template>
    <Button :size="size" :data-act="verb">{{ verb === 'hold' ? 'Hold…' : 'Drain…' }}</Button>
  </Popover>
</template>

<style scoped>
.why {
  display: flex;
  flex-direction: column;
  gap: 8px;
  width: 270px;
}

ul {
  margin: 0;
  padding-left: 16px;
}
</style>
