<script setup lang="ts">
import { Button, Input, Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, ProblemError, type Schemas } from '../../api/client'
import { useAction } from '../../kit/useAction'
import type { Columns } from './fleet-columns'
import { count } from '../../kit/format'
import LabelsField from '../../kit/LabelsField.vue'

/** Makes or changes a kit, and says before it is saved what that would do. */
const props = defineProps<{ kit: Schemas['Kit'] | null; columns: Columns }>()
const emit = defineEmits<{ saved: []; left: [] }>()
const { isBusy, trouble, perform } = useAction()
const name = ref(props.kit?.name ?? '')
const purpose = ref(props.kit?.purpose ?? '')
const text = ref(props.kit?.terms.join('\n') ?? '')
const paddocks = ref<string[]>(props.kit?.paddocks ?? [])
const labels = ref<string[]>(props.kit?.labels ?? [])
const like = ref<string>()
const effect = ref<Schemas['Effect'] | null>(null)
const mistakes = ref<string[]>([])
let newest = 0

const terms = computed(() => text.value.split('\n').map((line) => line.trim()).filter(Boolean))
const known = computed(() => [...new Set(props.columns.hosts.paddock)].sort().map((value) => ({ value, label: value })))
const knownLabels = computed(() => [...new Set(props.columns.hosts.labels.flat())].sort())

async function propose(host?: string): Promise<void> {
  await perform(async () => {
    const found = await answered(api.GET('/api/v1/kits-proposed/', { params: { query: { host } } }))
    if (!found.length) throw new Error(host ? `${host} has no tool on its path.` : 'No job of the last 30 days asked for a tool.')
    text.value = found.map((one) => one.term).join('\n')
  })
}

async function tryIt(): Promise<void> {
  const mine = ++newest
  if (!terms.value.length) {
    effect.value = null
    mistakes.value = []
    return
  }
  try {
    const body = { kit: props.kit?.name ?? '', terms: terms.value, paddocks: paddocks.value, labels: labels.value }
    const answer = await answered(api.POST('/api/v1/kits-tried/', { body }))
    if (mine !== newest) return
    effect.value = answer
    mistakes.value = []
  } catch (error) {
    if (mine !== newest) return
    effect.value = null
    const found = error instanceof ProblemError ? (error.problem.errors ?? []) : []
    mistakes.value = found.length ? found.map((one) => `${terms.value[Number(one.pointer.split('/').pop())] ?? ''}: ${one.detail}`) : [(error as Error).message]
  }
}

let timer: ReturnType<typeof setTimeout> | undefined
watch(
  [text, paddocks, labels],
  () => {
    clearTimeout(timer)
    timer = setTimeout(() => void tryIt(), 250)
  },
  { immediate: true },
)

async function save(): Promise<void> {
  await perform(async () => {
    const body = { name: name.value.trim(), purpose: purpose.value.trim(), terms: terms.value, paddocks: paddocks.value, labels: labels.value }
    if (props.kit) await answered(api.PUT('/api/v1/kits/{name}/', { params: { path: { name: props.kit.name } }, body }))
    else await answered(api.POST('/api/v1/kits/', { body }))
    emit('saved')
  })
}
</script>

<template>
  <form class="editor" aria-label="A kit" @submit.prevent="save">
    <div class="fields">
      <h2>{{ kit ? `Change ${kit.name}` : 'New kit' }}</h2>
      <label>Name <Input v-model:value="name" placeholder="gauge-firmware" /></label>
      <label>Purpose <Input v-model:value="purpose" placeholder="what builds the firmware of the gauges" /></label>
      <label>Paddocks <Select v-model:value="paddocks" mode="multiple" class="whole" :options="known" aria-label="Paddocks" /></label>
      <label>Hosts with a label <LabelsField v-model="labels" name="Labels" class="whole" :known="knownLabels" /></label>
      <label>Terms, one per line <Input.TextArea v-model:value="text" class="machine" :auto-size="{ minRows: 6, maxRows: 18 }" placeholder="os linux&#10;tool jdk 17..21" spellcheck="false" aria-label="Terms, one per line" /></label>
      <div class="row">
        <Select v-model:value="like" show-search size="small" class="like" placeholder="Copy the tools of a host" aria-label="Copy the tools of a host" :options="columns.hosts.name.map((value) => ({ value, label: value }))" @change="propose(like)" />
        <Button size="small" @click="propose()">Tools that jobs asked for in 30 days</Button>
      </div>
    </div>
    <div aria-live="polite">
      <h2>Effect of saving</h2>
      <p v-for="mistake in mistakes" :key="mistake" class="trouble machine">{{ mistake }}</p>
      <template v-if="effect">
        <p v-if="!effect.standings.length" class="soft">No hosts yet: choose paddocks or labels.</p>
        <p v-if="effect.put_out.length" class="trouble"><strong>{{ count(effect.put_out.length, 'host') }}</strong> would no longer meet a kit: {{ effect.put_out.join(', ') }}.</p>
        <p v-else-if="effect.standings.length" class="well">All hosts would still meet their kits.</p>
        <p v-if="effect.put_in.length" class="well">{{ count(effect.put_in.length, 'host') }} would meet it: {{ effect.put_in.join(', ') }}.</p>
        <p v-if="effect.stay_out.length" class="soft">{{ count(effect.stay_out.length, 'host', 'hosts') }} would still miss something: {{ effect.stay_out.join(', ') }}.</p>
        <table v-if="effect.standings.some((one) => one.lacking.length)" class="plain-table">
          <thead><tr><th>Host</th><th>Lacks</th></tr></thead>
          <tbody>
            <tr v-for="one in effect.standings.filter((each) => each.lacking.length).slice(0, 40)" :key="one.host">
              <td>{{ one.host }} <span class="soft">{{ one.stands }}</span></td>
              <td><div v-for="lack in one.lacking" :key="lack.term"><code>{{ lack.term }}</code> <span class="soft">{{ lack.found ? `has ${lack.found}` : 'has none' }}</span></div></td>
            </tr>
          </tbody>
        </table>
      </template>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <div class="row end">
        <Button @click="emit('left')">Cancel</Button>
        <Button type="primary" html-type="submit" :loading="isBusy" :disabled="!name.trim() || !terms.length || !!mistakes.length">Save kit</Button>
      </div>
    </div>
  </form>
</template>

<style scoped>
.editor {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 28px;
}

.fields {
  display: grid;
  gap: 10px;
  align-content: start;
}

label {
  display: grid;
  gap: 3px;
  color: var(--ink-soft);
}

.whole {
  width: 100%;
}

.like {
  width: 190px;
}

.end {
  margin-top: 14px;
}

p {
  margin: 4px 0;
}
</style>
