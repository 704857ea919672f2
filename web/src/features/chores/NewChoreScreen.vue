<script setup lang="ts">
import { Button, Checkbox, Input, InputNumber, RadioGroup, Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { startChore } from './chores'
import { answered, api } from '../../api/client'
import { useYard } from '../yard/yard'
import { useAction } from '../../kit/useAction'
import TermsEditor from '../board/TermsEditor.vue'
import { count } from '../../kit/format'

/** Which script, on which hosts, how carefully, and how will it be seen that it worked? */
const route = useRoute()
const router = useRouter()
const yard = useYard()
if (!yard.plates.length) void yard.load()
const asked = (name: string) => [route.query[name] ?? []].flat().map(String).filter(Boolean)
const name = ref(asked('name')[0] ?? '')
const purpose = ref('')
const script = ref('')
const shell = ref('')
const wanted = ref(asked('for').join('\n'))
const choose = ref<'hosts' | 'terms'>(asked('terms').length ? 'terms' : 'hosts')
const hosts = ref(asked('hosts'))
const terms = ref(asked('terms').join('\n'))
const atOnce = ref(1)
const stopAfter = ref(1)
const drain = ref(true)
const minutes = ref(30)
const keep = ref(true)
/** Whose people may see it, and start it there, before it ever ran there. */
const paddocks = ref<string[]>([])
/** The chore as it was read: who may start it may not always change it. */
let asRead = ''
const chosen = ref<string[]>([])
const choosing = useAction()
const { isBusy, trouble, perform } = useAction()
const known = computed(() => yard.plates.filter((one) => one.standing === 'admitted').map((one) => ({ value: one.name, label: `${one.name} · ${one.paddock}` })))
const places = computed(() => [...new Set(yard.plates.map((one) => one.paddock))].sort().map((value) => ({ value, label: value })))
const lines = (text: string) => text.split('\n').map((line) => line.trim()).filter(Boolean)
/** The chore that is there already. One that was kept and could not be started is not made a second time. */
const existing = ref(Number(asked('chore')[0]) || null)
const isRepeated = existing.value !== null

if (existing.value) {
  const id = existing.value
  void perform(async () => {
    const chore = await answered(api.GET('/api/v1/chores/{id}/', { params: { path: { id } } }))
    name.value = chore.name
    purpose.value = chore.purpose ?? ''
    script.value = chore.script
    shell.value = chore.shell ?? ''
    wanted.value = (chore.wanted ?? []).join('\n')
    atOnce.value = chore.at_once ?? 1
    stopAfter.value = chore.stop_after ?? 1
    drain.value = chore.drain ?? true
    minutes.value = Math.round((chore.time_limit ?? 1800) / 60)
    keep.value = chore.is_saved ?? true
    paddocks.value = chore.paddocks ?? []
    asRead = JSON.stringify(body())
  })
}

let timer: ReturnType<typeof setTimeout> | undefined
watch(
  [choose, hosts, terms],
  () => {
    clearTimeout(timer)
    if (choose.value === 'hosts') {
      chosen.value = [...hosts.value].sort()
      return
    }
    timer = setTimeout(() => void choosing.perform(async () => {
      chosen.value = lines(terms.value).length ? await answered(api.POST('/api/v1/chosen-hosts/', { body: { hosts: [], terms: lines(terms.value) } })) : []
    }), 300)
  },
  { immediate: true, deep: true },
)

const missing = computed(() => (!name.value.trim() ? 'Enter a name.' : !script.value.trim() ? 'Enter the script.' : !chosen.value.length ? 'Choose hosts.' : ''))

function body() {
  return {
    name: name.value.trim(), purpose: purpose.value, script: script.value, shell: shell.value, wanted: lines(wanted.value),
    at_once: atOnce.value, stop_after: stopAfter.value, drain: drain.value, time_limit: minutes.value * 60, is_saved: keep.value,
    paddocks: paddocks.value,
  }
}

async function kept(): Promise<number> {
  if (!existing.value) return (await answered(api.POST('/api/v1/chores/', { body: body() }))).id
  if (JSON.stringify(body()) !== asRead) {
    await answered(api.PUT('/api/v1/chores/{id}/', { params: { path: { id: existing.value } }, body: body() }))
    asRead = JSON.stringify(body())
  }
  return existing.value
}

function start(): Promise<void> {
  return perform(async () => {
    existing.value = await kept()
    const run = await startChore(existing.value, choose.value === 'hosts' ? hosts.value : [], choose.value === 'terms' ? lines(terms.value) : [])
    await router.push({ name: 'chore-run', params: { id: run.id } })
  })
}
</script>

<template>
  <div class="screen">
    <p class="soft"><RouterLink :to="{ name: 'chores' }">Chores</RouterLink></p>
    <h1>{{ isRepeated ? `Run ${name || 'a chore'}` : 'New chore' }}</h1>
    <form class="two" @submit.prevent="start">
      <div>
        <label>Name<Input v-model:value="name" :maxlength="100" placeholder="install CMake 3.28" data-field="name" /></label>
        <label>Script<textarea v-model="script" rows="12" spellcheck="false" class="machine" data-field="script" /></label>
        <p class="soft" data-part="rights">A chore runs as the agent’s account, which is not root by default. A script that installs packages needs <code class="whole">sudo -n</code> and a sudo rule on each host.</p>
        <div class="row">
          <label>Shell<Select v-model:value="shell" :options="[{ value: '', label: `the host's own` }, ...['bash', 'sh', 'powershell', 'cmd', 'python'].map((value) => ({ value, label: value }))]" class="shell" /></label>
          <label>Time limit in minutes<InputNumber v-model:value="minutes" :min="1" :max="1440" /></label>
        </div>
        <div class="label">Terms that must hold afterwards <span class="soft">A survey checks them on each host. Each line shows on how many hosts it holds now.</span></div>
        <TermsEditor v-model="wanted" bare />
      </div>
      <div>
        <div class="label">Hosts</div>
        <RadioGroup v-model:value="choose" :options="[{ value: 'hosts', label: 'by name' }, { value: 'terms', label: 'all that meet terms, or a kit' }]" />
        <Select v-if="choose === 'hosts'" v-model:value="hosts" mode="multiple" :options="known" placeholder="Hosts" class="wide" data-field="hosts" />
        <TermsEditor v-else v-model="terms" bare />
        <p v-if="choosing.trouble.value" class="trouble" role="alert">{{ choosing.trouble.value }}</p>
        <p class="soft chosen" data-chosen>{{ chosen.length ? `${count(chosen.length, 'host')}: ${chosen.slice(0, 12).join(', ')}${chosen.length > 12 ? ' …' : ''}` : 'No host yet.' }}</p>
        <div class="label later">Pace</div>
        <p class="rolls">Hosts at a time <InputNumber v-model:value="atOnce" :min="1" :max="500" size="small" data-field="at-once" /></p>
        <p class="rolls">Stop after this many failures (0: never) <InputNumber v-model:value="stopAfter" :min="0" :max="5000" size="small" data-field="stop-after" /> <span class="soft">0: never</span></p>
        <Checkbox v-model:checked="drain" data-field="drain">Drain each host first</Checkbox>
        <Checkbox v-model:checked="keep">Save this chore to run it again</Checkbox>
        <label v-if="keep" class="shared">Share with people of<Select v-model:value="paddocks" mode="multiple" :options="places" placeholder="only people with a role everywhere" class="wide" data-field="paddocks" /></label>
        <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        <p class="go"><Button type="primary" html-type="submit" :loading="isBusy" :disabled="Boolean(missing)" data-act="start">Run on {{ count(chosen.length, 'host') }}</Button> <span class="soft">{{ missing }}</span></p>
      </div>
    </form>
  </div>
</template>

<style scoped>
.whole {
  white-space: nowrap;
}

.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 440px;
  gap: 28px;
  margin-top: 10px;
}

label:not(.ant-checkbox-wrapper, .ant-radio-wrapper),
.label {
  display: block;
  margin-bottom: 10px;
  font-weight: 500;
}

.label {
  margin-bottom: 4px;
}

.label .soft {
  font-weight: 400;
}

textarea {
  display: block;
  width: 100%;
  padding: 8px 10px;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
  color: var(--ink);
}

label .ant-input-number {
  display: block;
}

.shell {
  display: block;
  width: 160px;
}

.wide {
  width: 100%;
  margin-top: 8px;
}

.chosen {
  margin: 8px 0;
}

.later {
  margin-top: 18px;
}

.shared {
  margin-top: 10px;
}

.shared .ant-select {
  font-weight: 400;
}

.rolls {
  margin-bottom: 6px;
}

.ant-checkbox-wrapper {
  display: flex;
  margin-inline-start: 0;
}

.go {
  margin-top: 16px;
}
</style>
