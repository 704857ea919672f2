<script setup lang="ts">
import { Button, Input, InputNumber } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import { count } from '../../kit/format'
import { dayOf } from '../../kit/moments'
import { diskSize } from '../../kit/units'
import { useAction } from '../../kit/useAction'
import { inOrder, isOfPipelines, KINDS, place, staying, type Rule } from './server'

/** How long do records stay, and what would a change remove? */
const rules = ref<Rule[] | null>(null)
const draft = ref<Rule[] | null>(null)
const paddocks = ref<string[]>([])
const preview = ref<Schemas['WouldRemove'][] | null>(null)
const { isBusy, trouble, perform } = useAction()
const body = computed(() => ({ body: { rules: draft.value ?? [] } }))
const removes = computed(() => preview.value?.reduce((all, one) => all + one.records, 0) ?? 0)
const CHOICES = KINDS.map((value) => ({ value, label: value }))
const places = computed(() => [{ value: '', label: 'all paddocks' }, ...paddocks.value.map((value) => ({ value, label: value }))])

void perform(async () => {
  rules.value = inOrder((await answered(api.GET('/api/v1/server/retention/'))).rules)
})

function change(): Promise<void> {
  return perform(async () => {
    const all = await answered(api.GET('/api/v1/paddocks/', { params: { query: { page_size: 1000 } } }))
    paddocks.value = all.results.map((one) => one.name)
    draft.value = (rules.value ?? []).map((one) => ({ ...one }))
    preview.value = null
  })
}

/** What was counted is of the rules as they were then. */
function edited(rule?: Rule): void {
  preview.value = null
  if (rule && !isOfPipelines(rule.kind)) Object.assign(rule, { pipeline: '', keep_last: 0 })
}

function add(): void {
  draft.value?.push({ kind: 'jobs', days: 365, keep_last: 0, paddock: '', pipeline: '' })
  edited()
}

const look = () =>
  perform(async () => {
    preview.value = (await answered(api.POST('/api/v1/server/retention/preview/', body.value))).removes
  })

const save = () =>
  perform(async () => {
    rules.value = inOrder((await answered(api.PUT('/api/v1/server/retention/', body.value))).rules)
    draft.value = null
  })

function removed(index: number): string {
  const found = preview.value?.find((one) => one.rule === index)
  if (!preview.value) return ''
  if (!found) return 'nothing'
  const size = found.bytes ? `, ${diskSize(found.bytes)}` : ''
  return `${count(found.records, draft.value?.[index]?.kind === 'logs and files' ? 'run' : 'record')}${size}, since ${found.oldest_at ? dayOf(found.oldest_at) : 'unknown'}`
}
</script>

<template>
  <div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="rules && !draft">
      <table class="plain-table" aria-label="Retention">
        <thead>
          <tr><th>Records</th><th>Of</th><th>Stay</th></tr>
        </thead>
        <tbody>
          <tr v-for="rule in rules" :key="`${rule.kind} ${place(rule)}`" :data-rule="`${rule.kind} of ${place(rule)}`"><td>{{ rule.kind }}</td><td>{{ place(rule) }}</td><td>{{ staying(rule) }}</td></tr>
        </tbody>
      </table>
      <p class="soft">Everything else stays forever. The most specific rule wins. The server removes expired records hourly.</p>
      <Button size="small" :loading="isBusy" data-act="change-retention" @click="change">Change retention…</Button>
    </template>
    <form v-else-if="draft" @submit.prevent="preview ? save() : look()">
      <table class="plain-table" aria-label="Retention">
        <thead>
          <tr><th>Records</th><th>Paddock</th><th>Pipeline</th><th>Days (0: forever)</th><th>Last of each job</th><th>Removes now</th><th aria-label="Remove"></th></tr>
        </thead>
        <tbody>
          <tr v-for="(rule, index) in draft" :key="index" :data-draft="index">
            <td><ChoiceField v-model:value="rule.kind" :options="CHOICES" :label="`Records of rule ${index + 1}`" data-field="kind" @update:value="edited(rule)" /></td>
            <td><ChoiceField v-model:value="rule.paddock" :options="places" :label="`Paddock of rule ${index + 1}`" @update:value="edited()" /></td>
            <td><Input v-model:value="rule.pipeline" size="small" :maxlength="100" :disabled="!isOfPipelines(rule.kind)" placeholder="all" :aria-label="`Pipeline of rule ${index + 1}`" data-field="pipeline" @update:value="edited()" /></td>
            <td><InputNumber v-model:value="rule.days" size="small" :min="0" :max="36500" :aria-label="`Days of rule ${index + 1}`" data-field="days" @update:value="edited()" /></td>
            <td><InputNumber v-model:value="rule.keep_last" size="small" :min="0" :max="1000" :disabled="!isOfPipelines(rule.kind)" :aria-label="`Last runs of rule ${index + 1}`" @update:value="edited()" /></td>
            <td data-removes>{{ removed(index) }}</td>
            <td><Button size="small" :aria-label="`Remove rule ${index + 1}`" @click="draft.splice(index, 1), edited()">Remove</Button></td>
          </tr>
        </tbody>
      </table>
      <div class="row">
        <Button size="small" data-act="add-rule" @click="add">Add a rule</Button>
        <Button v-if="!preview" size="small" type="primary" html-type="submit" :loading="isBusy" data-act="preview">Show what this removes</Button>
        <Button v-else size="small" type="primary" :danger="removes > 0" html-type="submit" :loading="isBusy" data-act="save-retention">{{ removes ? `Save, and remove ${count(removes, 'record')}` : 'Save: removes nothing now' }}</Button>
        <Button size="small" @click="draft = null">Cancel</Button>
      </div>
    </form>
  </div>
</template>

<style scoped>
form .row {
  gap: 8px;
  margin-top: 10px;
}
</style>
