<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { allRows, answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import MachineText from '../../kit/MachineText.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count } from '../../kit/format'
import { diskSize } from '../../kit/units'

/** Why is the disk full, and what may go? The folders that jobs worked in, by size. */
const props = defineProps<{ host: Schemas['Host'] }>()
const session = useSession()
const folders = ref<Schemas['WorkFolder'][]>([])
const { isBusy, trouble, perform } = useAction()
const asked = ref('')

async function load(): Promise<void> {
  folders.value = await allRows((query) => api.GET('/api/v1/hosts/{name}/folders/', { params: { path: { name: props.host.name }, query } }))
}
const loadSoon = gathered(load)
watch(() => props.host.name, () => void perform(load), { immediate: true })
onNote((note) => {
  if (note.noun === 'everything' || (note.noun === 'folders' && note.name === props.host.name)) loadSoon()
})

const bySize = computed(() => [...folders.value].sort((a, b) => b.size - a.size))
const whole = computed(() => folders.value.reduce((sum, one) => sum + one.size, 0))
const largest = computed(() => Math.max(1, ...folders.value.map((one) => one.size)))
const idle = computed(() => folders.value.filter((one) => !one.in_use))
const mayClear = computed(() => session.may('operator', props.host.paddock) && props.host.link === 'connected')

function clear(paths: string[]): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/hosts/{name}/folders/', { params: { path: { name: props.host.name } }, body: { paths } }))
    asked.value = 'The agent is removing them. The list updates when it is done.'
  })
}
</script>

<template>
  <div>
    <div class="row head">
      <h2>Work folders</h2>
      <span class="soft">{{ folders.length ? `${count(folders.length, 'folder')}, ${diskSize(whole)}` : 'none yet' }} in <MachineText :text="String(host.facts.work_folder ?? '')" /></span>
      <Popconfirm v-if="mayClear && idle.length" :title="`Remove ${count(idle.length, 'folder')} that are not in use? The next job recreates warm ones, and takes longer.`" ok-text="Remove" cancel-text="Cancel" @confirm="clear([])">
        <Button size="small" :loading="isBusy" data-act="clear-all">Remove unused…</Button>
      </Popconfirm>
    </div>
    <p class="soft">A fresh folder belongs to one attempt; the last ten stay for three days. A warm folder belongs to a pipeline, which uses it again. When the disk runs low, the agent removes the longest unused first.</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="asked" class="note">{{ asked }}</p>
    <table v-if="folders.length" class="plain-table">
      <thead><tr><th>Size</th><th>Folder</th><th>Of</th><th>Used</th><th /></tr></thead>
      <tbody>
        <tr v-for="one in bySize" :key="one.path" :data-kind="one.kind">
          <td class="size"><span class="bar" :style="{ width: `${Math.round((one.size / largest) * 70)}px` }" />{{ diskSize(one.size) }}</td>
          <td><MachineText :text="one.path" /></td>
          <td>{{ one.kind }}, {{ one.pipeline || 'of an earlier agent' }}<RouterLink v-if="one.attempt" :to="{ name: 'run', params: { id: one.attempt.split('-')[0] }, query: { attempt: one.attempt.split('-')[1] } }" class="attempt">{{ one.attempt.split('-').slice(0, 2).join('-') }}</RouterLink></td>
          <td><strong v-if="one.in_use">in use</strong><TimeAgo v-else-if="one.used_at" :at="one.used_at" /></td>
          <td><Button v-if="mayClear && !one.in_use" size="small" type="text" :aria-label="`Remove ${one.path}`" @click="clear([one.path])">Remove</Button></td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.head {
  gap: 12px;
  margin-top: 22px;
}

.size {
  white-space: nowrap;
}

.bar {
  display: inline-block;
  height: 9px;
  margin-right: 6px;
  background: var(--slate);
  vertical-align: baseline;
}

.attempt {
  margin-left: 8px;
}
</style>
