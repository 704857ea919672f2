<script setup lang="ts">
import { Button, Input, Popconfirm } from 'ant-design-vue'
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { serverAddress } from '../../api/address'
import { allRows, answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useSession } from '../people/session'
import CopyText from '../../kit/CopyText.vue'
import { useAction } from '../../kit/useAction'
import TimeAgo from '../../kit/TimeAgo.vue'

/** Git repositories whose pipeline file is read at a commit: by hand, or when a signed webhook says that they changed. */
const session = useSession()
const router = useRouter()
/** Null until they are loaded. */
const sources = ref<Schemas['Source'][] | null>(null)
const made = ref<Schemas['NewSource'] | null>(null)
const url = ref('')
const branch = ref('main')
const path = ref('paddock.yaml')
const adds = ref(false)
const { isBusy, trouble, perform } = useAction()
const mayKeep = computed(() => session.may('administrator'))

async function load(): Promise<void> {
  sources.value = await allRows((query) => api.GET('/api/v1/sources/', { params: { query } }))
}

onMounted(() => perform(load))
const loadSoon = gathered(load)
onNote((note) => {
  if (note.noun === 'source' || note.noun === 'everything') loadSoon()
})

function keep(): Promise<void> {
  return perform(async () => {
    made.value = await answered(api.POST('/api/v1/sources/', { body: { url: url.value.trim(), ref: branch.value.trim(), path: path.value.trim() } }))
    adds.value = false
    url.value = ''
    await load()
  })
}

function renew(id: number): Promise<void> {
  return perform(async () => {
    made.value = await answered(api.POST('/api/v1/sources/{id}/secret/', { params: { path: { id } } }))
  })
}

function submit(id: number): Promise<void> {
  return perform(async () => {
    const sent = await answered(api.POST('/api/v1/sources/{id}/submit/', { params: { path: { id } } })).finally(load)
    const first = sent.jobs[0]
    if (first) await router.push({ name: 'board', params: { id: String(first.id) } })
  })
}

function remove(id: number): Promise<void> {
  return perform(async () => {
    await answered(api.DELETE('/api/v1/sources/{id}/', { params: { path: { id } } }))
    await load()
  })
}

/** A hook of Git's own (post-receive), which tells this server of each push. */
const hook = computed(() => {
  const one = made.value
  if (!one) return ''
  return `#!/bin/sh
# hooks/post-receive in the repository: notifies Yellow Paddock of each push
while read -r old new ref; do
  body="{\\"ref\\": \\"$ref\\", \\"commit\\": \\"$new\\"}"
  now=$(date +%s)
  mac=$(printf '%s.%s' "$now" "$body" | openssl dgst -sha256 -hmac '${one.secret}' | sed 's/.* //')
  curl -fsS -X POST -H "Content-Type: application/json" -H "Paddock-Timestamp: $now" \\
    -H "Paddock-Signature: sha256=$mac" -d "$body" '${serverAddress}${one.hook}'
done`
})
</script>

<template>
  <section>
    <h2>Git sources</h2>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="sources?.length === 0 && !adds" class="soft">No sources yet. A source is a repository with a pipeline file. Each push sends its jobs.</p>
    <ul>
      <li v-for="one in sources" :key="one.id" :data-source="one.id">
        <div>
          <code>{{ one.url }}</code> <span class="soft">{{ one.ref }} · {{ one.path }}</span>
          <p class="soft">
            <template v-if="one.read_at">read <TimeAgo :at="one.read_at" /><template v-if="one.read_commit"> at <code>{{ one.read_commit.slice(0, 10) }}</code></template><template v-if="one.pipeline"> · {{ one.pipeline }}</template></template>
            <template v-else>not read yet</template>
          </p>
          <p v-if="one.trouble" class="trouble">{{ one.trouble }}</p>
        </div>
        <Button v-if="session.may('operator')" size="small" :loading="isBusy" data-act="submit-source" @click="submit(one.id)">Read and send jobs</Button>
        <template v-if="mayKeep">
          <Popconfirm title="Make a new secret? The old one stops working." ok-text="New secret" cancel-text="Cancel" @confirm="renew(one.id)"><Button size="small">New secret…</Button></Popconfirm>
          <Popconfirm :title="`Delete ${one.url}? Its jobs stay.`" ok-text="Delete" cancel-text="No" @confirm="remove(one.id)"><Button size="small">Delete…</Button></Popconfirm>
        </template>
      </li>
    </ul>
    <div v-if="made" class="made">
      <p><strong>The secret of its webhook. It is shown only now:</strong></p>
      <CopyText :text="made.secret" />
      <p class="soft">For a repository on your own Git server, this is the complete hook, including the secret:</p>
      <CopyText :text="hook" />
      <Button size="small" @click="made = null">Done</Button>
    </div>
    <form v-if="adds" class="row" @submit.prevent="keep">
      <label>Address<Input v-model:value="url" placeholder="https://git.saltmarsh.example/tide-gauge-firmware.git" required data-field="url" /></label>
      <label>Branch or tag<Input v-model:value="branch" required data-field="ref" /></label>
      <label>File<Input v-model:value="path" required data-field="path" /></label>
      <Button type="primary" html-type="submit" :loading="isBusy">Save source</Button>
    </form>
    <!-- Not before the list, which would move it from under the pointer. -->
    <Button v-else-if="sources && mayKeep" size="small" @click="adds = true">Add a source</Button>
  </section>
</template>

<style scoped>
section {
  margin-top: 24px;
}

ul {
  margin: 4px 0 8px;
  padding: 0;
  list-style: none;
}

li {
  display: flex;
  align-items: flex-start;
  gap: 8px;
  padding: 6px 0;
  border-bottom: 1px solid var(--fence);
}

li > div {
  flex: 1;
}

li p {
  margin: 0;
}

.made {
  margin: 8px 0;
  padding: 10px 14px;
  border: 1px solid var(--ink);
  border-radius: 4px;
  background: var(--plate);
}

form {
  align-items: flex-end;
  gap: 12px;
}

form label {
  display: flex;
  flex: 1;
  flex-direction: column;
}

form label:first-child {
  flex: 3;
}
</style>
