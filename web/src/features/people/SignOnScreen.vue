<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { count } from '../../kit/format'
import TimeAgo from '../../kit/TimeAgo.vue'
import { useAction } from '../../kit/useAction'
import { gathered, onNote } from '../../live/feed'
import MappingEditor from './MappingEditor.vue'
import ProviderDrawer from './ProviderDrawer.vue'

/** Through which providers may people come in, and which roles do their groups give? */
const providers = ref<Schemas['Provider'][] | null>(null)
const paddocks = ref<string[]>([])
const editing = ref<Schemas['Provider'] | 'new' | null>(null)
const checked = ref<Record<number, string>>({})
const { isBusy, trouble, perform } = useAction()

async function load(): Promise<void> {
  providers.value = await answered(api.GET('/api/v1/sign-on-providers/'))
  paddocks.value = (await answered(api.GET('/api/v1/people/'))).paddocks
}
void perform(load)
const loadSoon = gathered(() => perform(load))
onNote((note) => {
  if (note.noun === 'sign-on' || note.noun === 'everything') loadSoon()
})

async function check(one: Schemas['Provider']): Promise<void> {
  checked.value[one.id] = 'Asking…'
  try {
    await answered(api.POST('/api/v1/sign-on-providers/{id}/check/', { params: { path: { id: one.id } } }))
    checked.value[one.id] = `${one.name} answers as it should.`
  } catch (error) {
    checked.value[one.id] = (error as Error).message
  }
}

function remove(id: number): Promise<void> {
  return perform(async () => {
    await answered(api.DELETE('/api/v1/sign-on-providers/{id}/', { params: { path: { id } } }))
    await load()
  })
}
</script>

<template>
  <div class="screen">
    <div class="head row">
      <h1><RouterLink :to="{ name: 'people' }">People</RouterLink> · Sign-on</h1>
      <p class="soft sentence">Local passwords go on working, so that an administrator comes in when a provider is away.</p>
      <Button type="primary" data-act="add-provider" @click="editing = 'new'">Add a provider</Button>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="providers && !providers.length" class="soft">No provider yet. People log in with a name and a password. With an OpenID Connect provider they use the account that they have elsewhere, and their groups there can give them roles.</p>
    <section v-for="one in providers" :key="one.id" class="plot" :data-provider="one.name">
      <h2 class="row between">
        <span>{{ one.name }} <span class="soft">{{ one.is_on ? count(one.people, 'person has', 'people have') + ' signed on' : 'switched off' }}</span></span>
        <span class="row">
          <Button size="small" data-act="check-provider" @click="check(one)">Check it now</Button>
          <Button size="small" @click="editing = one">Change…</Button>
          <Popconfirm :title="`Delete ${one.name}? ${count(one.people, 'person', 'people')} can no longer sign on with it, and lose the roles that its groups give.`" ok-text="Delete" cancel-text="Cancel" @confirm="remove(one.id)"><Button size="small" :disabled="isBusy">Delete…</Button></Popconfirm>
        </span>
      </h2>
      <p class="soft"><span class="machine">{{ one.issuer }}</span>, client <span class="machine">{{ one.client_id }}</span>, groups from the claim <span class="machine">{{ one.groups_claim }}</span></p>
      <p v-if="checked[one.id]" role="status">{{ checked[one.id] }}</p>
      <p v-if="one.trouble" class="trouble">{{ one.trouble }} <TimeAgo v-if="one.trouble_at" :at="one.trouble_at" /></p>
      <MappingEditor :provider="one" :paddocks="paddocks" @saved="loadSoon" />
    </section>
    <ProviderDrawer v-model:provider="editing" @saved="loadSoon" />
  </div>
</template>

<style scoped>
.head {
  gap: 14px;
  margin-bottom: 12px;
}

.sentence {
  flex: 1 1 300px;
}

.plot {
  margin-bottom: 16px;
  padding: 10px 14px 14px;
  border: 2px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
}

.between {
  justify-content: space-between;
}
</style>
