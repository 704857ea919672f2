<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { count } from '../../kit/format'
import { useAction } from '../../kit/useAction'
import AskAccess from '../people/AskAccess.vue'
import { useSession } from '../people/session'
import HandItem from './HandItem.vue'

/** Pipelines whose jobs wait at a fence, with the ways to let them in. */
const props = defineProps<{ jobs: Schemas['Job'][] }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const { isBusy, trouble, perform } = useAction()

const waiting = computed(() => {
  const groups = new Map<string, { pipeline: string; paddock: string; jobs: Schemas['Job'][] }>()
  for (const job of props.jobs) {
    for (const paddock of job.reason_places) {
      const key = `${job.pipeline} ${paddock}`
      const group = groups.get(key) ?? { pipeline: job.pipeline, paddock, jobs: [] }
      group.jobs.push(job)
      groups.set(key, group)
    }
  }
  return [...groups.values()]
})
const oldest = (jobs: Schemas['Job'][]) => jobs.map((job) => job.submitted_at).sort()[0] ?? ''

function letIn(jobs: Schemas['Job'][], paddock: string, forGood: boolean): Promise<void> {
  return perform(async () => {
    for (const job of forGood ? jobs.slice(0, 1) : jobs) {
      await answered(api.POST('/api/v1/jobs/{id}/let-in/', { params: { path: { id: job.id } }, body: { paddock, for_good: forGood } }))
    }
    emit('changed')
  })
}
</script>

<template>
  <HandItem v-for="one in waiting" :key="`${one.pipeline} ${one.paddock}`" what="Fence" :since="oldest(one.jobs)" kind="note" :data-fence="`${one.pipeline} ${one.paddock}`">
    <template #title>{{ one.pipeline }} waits at the fence of {{ one.paddock }}</template>
    <template v-for="(job, at) in one.jobs.slice(0, 3)" :key="job.id"><template v-if="at">, </template><RouterLink :to="{ name: 'board', params: { id: String(job.id) } }">{{ job.name }}</RouterLink></template><template v-if="one.jobs.length > 3"> and {{ one.jobs.length - 3 }} more</template>.
    The fence does not let this pipeline in.
    <template #actions>
      <Button v-if="session.may('operator', one.paddock)" size="small" :loading="isBusy" data-act="let-in-once" @click="letIn(one.jobs, one.paddock, false)">Let {{ one.jobs.length === 1 ? 'this job' : `these ${count(one.jobs.length, 'job')}` }} in</Button>
      <Popconfirm v-if="session.may('administrator', one.paddock)" :title="`Let all jobs of ${one.pipeline} into ${one.paddock} from now on?`" ok-text="Let them in" cancel-text="Cancel" @confirm="letIn(one.jobs, one.paddock, true)">
        <Button size="small" :disabled="isBusy" data-act="let-in-for-good">{{ one.pipeline }} always…</Button>
      </Popconfirm>
      <AskAccess v-if="!session.may('operator', one.paddock)" role="operator" :paddock="one.paddock" />
    </template>
  </HandItem>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
</template>
