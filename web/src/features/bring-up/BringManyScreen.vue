<script setup lang="ts">
import { Button, Input, Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { serverAddress } from '../../api/address'
import { answered, api, ProblemError, type Schemas } from '../../api/client'
import { useYard } from '../yard/yard'
import CopyText from '../../kit/CopyText.vue'
import { count, systemName } from '../../kit/format'

/** Many machines are coming: a table in, one command for all of each system out. */
const EXAMPLE = 'name,system,processor,labels,slots,supervisor\ncurlew-11,linux,x64,"bench-rig,firmware",4,service\nrusset-07,macos,arm64,mobile,,log-in\n'
const yard = useYard()
const paddock = ref('')
const server = ref(serverAddress)
const text = ref('')
const made = ref<Schemas['NewPlan'] | null>(null)
const mistakes = ref<string[]>([])
const isBusy = ref(false)
const paddocks = computed(() => (yard.yard?.paddocks ?? []).map((one) => ({ value: one.name, label: one.name })))
watch(paddocks, (there) => (paddock.value ||= there[0]?.value ?? ''), { immediate: true })

async function read(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) text.value = await file.text()
}

async function plan(): Promise<void> {
  isBusy.value = true
  mistakes.value = []
  try {
    made.value = await answered(api.POST('/api/v1/bring-ups/planned/', { body: { paddock: paddock.value, server: server.value, text: text.value } }))
  } catch (error) {
    const errors = error instanceof ProblemError ? (error.problem.errors ?? []) : []
    mistakes.value = errors.length ? errors.map((one) => one.detail) : [(error as Error).message]
  } finally {
    isBusy.value = false
  }
}
</script>

<template>
  <div class="screen">
    <h1>Bring in many hosts</h1>
    <template v-if="!made">
      <p class="soft">One line per machine. The yard lists them as expected until each joins under its name.</p>
      <form @submit.prevent="plan">
        <div class="row">
          <label>Paddock<Select v-model:value="paddock" :options="paddocks" /></label>
          <label>Server address, as the machines reach it<Input v-model:value="server" class="machine" :maxlength="200" /></label>
          <label>Load a file (CSV or JSON)<input type="file" accept=".csv,.json,text/csv,application/json" @change="read" /></label>
        </div>
        <label>Machines<Input.TextArea v-model:value="text" :rows="12" class="machine" :placeholder="EXAMPLE" data-field="table" /></label>
        <p class="soft">Columns: name and system; optional: processor (x64, arm64), labels, slots, work folder, supervisor (service, log-in, by hand), account.</p>
        <ul v-if="mistakes.length" class="trouble" role="alert">
          <li v-for="one in mistakes" :key="one">{{ one }}</li>
        </ul>
        <Button type="primary" html-type="submit" :loading="isBusy" :disabled="!text.trim() || !paddock">Add machines</Button>
      </form>
    </template>
    <template v-else>
      <p><strong>{{ count(made.sheets.length, 'machine is', 'machines are') }} expected.</strong> All these commands share one pass. It is shown only now.</p>
      <section v-for="one in made.commands" :key="one.system">
        <h2>{{ count(one.hosts.length, `${systemName(one.system)} machine`) }}: paste this into {{ one.shell }} on each</h2>
        <CopyText :text="one.run" data-command />
        <p class="soft">{{ one.hosts.join(', ') }}</p>
      </section>
      <RouterLink :to="{ name: 'yard' }">Go to the yard</RouterLink>
    </template>
  </div>
</template>

<style scoped>
form {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 12px;
  max-width: 900px;
  margin-top: 12px;
}

label {
  display: flex;
  flex-direction: column;
  gap: 2px;
  min-width: 200px;
  font-weight: 500;
}

form > label {
  width: 100%;
}

ul {
  margin: 0;
  padding-left: 18px;
}

section {
  max-width: 900px;
  margin: 16px 0;
}

section h2 {
  margin-bottom: 5px;
}
</style>
