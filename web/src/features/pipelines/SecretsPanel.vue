<script setup lang="ts">
import { Button, Checkbox, Input, Popconfirm, Select } from 'ant-design-vue'
import { computed, onMounted, ref } from 'vue'
import { allRows, answered, api, type Schemas } from '../../api/client'
import { useYard } from '../yard/yard'
import { useAction } from '../../kit/useAction'
import TimeAgo from '../../kit/TimeAgo.vue'
import LabelsField from '../../kit/LabelsField.vue'

/** Which secrets exist, which pipelines may use them, and which job used them last? Their values are never shown. */
type Secret = Schemas['Secret']
const yard = useYard()
if (!yard.plates.length) void yard.load()
const secrets = ref<Secret[]>([])
const { isBusy, trouble, perform } = useAction()
/** What the form is about: a new secret, one that is there, or nothing. */
const about = ref<'new' | 'kept' | ''>('')
const name = ref('')
const value = ref('')
const purpose = ref('')
const pipelines = ref<string[]>([])
const paddocks = ref<string[]>([])
const sourcesOnly = ref(true)
const places = computed(() => [{ value: '*', label: 'every paddock' }, ...(yard.yard?.paddocks ?? []).map((one) => ({ value: one.name, label: one.name }))])
const missing = computed(() => (!name.value ? 'Enter a name.' : about.value === 'new' && !value.value ? 'Enter its value.' : !pipelines.value.length ? 'Enter the allowed pipelines.' : !paddocks.value.length ? 'Choose the allowed paddocks.' : ''))

async function load(): Promise<void> {
  secrets.value = await allRows((query) => api.GET('/api/v1/secrets/', { params: { query } }))
}
onMounted(() => perform(load))

function open(one: Secret | null): void {
  about.value = one ? 'kept' : 'new'
  name.value = one?.name ?? ''
  value.value = ''
  purpose.value = one?.purpose ?? ''
  pipelines.value = one?.pipelines ?? []
  paddocks.value = one?.paddocks ?? []
  sourcesOnly.value = one?.sources_only ?? true
}

function keep(): Promise<void> {
  return perform(async () => {
    const fields = { name: name.value.trim(), purpose: purpose.value, pipelines: pipelines.value, paddocks: paddocks.value, sources_only: sourcesOnly.value }
    await answered(api.POST('/api/v1/secrets/', { body: value.value ? { ...fields, value: value.value } : fields }))
    value.value = ''
    about.value = ''
    await load()
  })
}

function remove(one: Secret): Promise<void> {
  return perform(async () => {
    await answered(api.DELETE('/api/v1/secrets/{name}/', { params: { path: { name: one.name } } }))
    await load()
  })
}
</script>

<template>
  <section>
    <h2>Secrets</h2>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="!secrets.length && !about" class="soft">No secrets yet. A job names the secrets that it needs and gets them for one attempt, if its pipeline and paddock are allowed. Its log shows <code>[secret]</code> in their place.</p>
    <table v-if="secrets.length" class="plain-table">
      <thead><tr><th>Secret</th><th>For pipelines</th><th>In paddocks</th><th>Last given</th><th>Changed</th><th /></tr></thead>
      <tbody>
        <tr v-for="one in secrets" :key="one.name" :data-secret="one.name">
          <td><strong class="machine">{{ one.name }}</strong> <span class="soft">{{ one.purpose }}</span></td>
          <td class="machine">{{ one.pipelines.join(', ') }}<span v-if="one.sources_only" class="soft"> from a Git source only</span></td>
          <td>{{ one.paddocks.includes('*') ? 'all' : one.paddocks.join(', ') }}</td>
          <td><template v-if="one.given_at"><TimeAgo :at="one.given_at" /> to <RouterLink :to="{ name: 'run', params: { id: one.given_to.split('-')[0] }, query: { attempt: one.given_to.split('-')[1] } }">{{ one.given_to }}</RouterLink></template><span v-else class="soft">never</span></td>
          <td class="soft">by {{ one.changed_by }}, <TimeAgo :at="one.changed_at" /></td>
          <td class="right">
            <Button size="small" :data-act="`change-${one.name}`" @click="open(one)">Change…</Button>
            <Popconfirm :title="`Delete ${one.name}? New jobs that name it are refused, and waiting ones cannot start.`" ok-text="Delete" cancel-text="Cancel" @confirm="remove(one)"><Button size="small">Delete…</Button></Popconfirm>
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="about" autocomplete="off" @submit.prevent="keep">
      <label><span>Name</span><Input v-model:value="name" :disabled="about === 'kept'" placeholder="CHART_DEPOT_TOKEN" :maxlength="100" class="machine" data-field="secret-name" /></label>
      <label><span>Purpose</span><Input v-model:value="purpose" :maxlength="200" /></label>
      <label class="whole"><span>Value <span class="soft">{{ about === 'kept' ? 'leave empty to keep it' : 'never shown again' }}</span></span><textarea v-model="value" rows="2" maxlength="8000" spellcheck="false" autocomplete="off" class="machine covered" data-field="secret-value" /></label>
      <label><span>Allowed pipelines <span class="soft">* matches any part of a name</span></span><LabelsField v-model="pipelines" name="Allowed pipelines" spaced placeholder="tide-gauge-*" data-field="secret-pipelines" /></label>
      <label><span>Allowed paddocks</span><Select v-model:value="paddocks" mode="multiple" :options="places" placeholder="Paddocks" data-field="secret-paddocks" /></label>
      <Checkbox v-model:checked="sourcesOnly" class="whole">Only for jobs from a Git source</Checkbox>
      <p class="row"><Button type="primary" html-type="submit" :loading="isBusy" :disabled="Boolean(missing)" data-act="keep-secret">{{ about === 'new' ? 'Save secret' : value ? 'Replace value' : 'Save' }}</Button> <Button @click="about = ''">Cancel</Button> <span class="soft">{{ missing }}</span></p>
    </form>
    <Button v-else size="small" data-act="add-secret" @click="open(null)">Add a secret</Button>
  </section>
</template>

<style scoped>
section {
  margin-top: 24px;
}

table {
  margin-bottom: 8px;
}

.right {
  text-align: right;
  white-space: nowrap;
}

form {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 10px 20px;
  max-width: 900px;
  margin-top: 6px;
  padding: 12px 14px;
  border: 1px solid var(--fence);
  border-radius: 4px;
}

label:not(.ant-checkbox-wrapper) {
  display: flex;
  flex-direction: column;
}

.covered {
  padding: 4px 8px;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
  color: var(--ink);
  -webkit-text-security: disc;
}

.whole,
form p {
  grid-column: 1 / -1;
}

form p {
  gap: 8px;
}
</style>
