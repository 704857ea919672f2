<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { useRouter } from 'vue-router'
import { answered, api, type Schemas } from '../../api/client'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import { count } from '../../kit/format'

/** Why a run failed, and the likely cure: the job once more, with the tool that its script calls as a term. */
const { failure, job } = defineProps<{ failure: Schemas['Failure']; job: Schemas['JobSheet'] }>()
const router = useRouter()
const session = useSession()
const { isBusy, trouble, perform } = useAction()

function runAgain(): Promise<void> {
  return perform(async () => {
    const body = { where: 'anywhere' as const, added: [`tool ${failure.tool}`] }
    const started = await answered(api.POST('/api/v1/jobs/{id}/run-again/', { params: { path: { id: job.id } }, body }))
    await router.push({ name: 'run', params: { id: started.id } })
  })
}
</script>

<template>
  <section class="failure" data-part="failure" aria-label="Why it failed">
    <p><strong>{{ failure.sentence }}</strong> {{ failure.cure }}</p>
    <p v-if="failure.evidence"><code>{{ failure.evidence }}</code></p>
    <p v-if="failure.tool && job.ended_at && !job.is_internal && session.may('operator')" class="row">
      <Button size="small" :loading="isBusy" data-act="again-with-tool" @click="runAgain">Run again with <code>tool {{ failure.tool }}</code></Button>
      <span class="soft">{{ failure.hosts_left ? `${count(failure.hosts_left, 'host')} would fit` : 'no host would fit; install it first' }}</span>
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </section>
</template>

<style scoped>
.failure {
  margin-bottom: 8px;
  padding: 6px 12px;
  background: var(--rust-pale);
  border: 1px solid var(--rust);
}

.failure p {
  margin: 2px 0;
  overflow-wrap: anywhere;
}
</style>
