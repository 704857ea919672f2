<script setup lang="ts">
import { Button, Checkbox, Drawer, Input, Popconfirm, Radio } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import CopyText from '../../kit/CopyText.vue'
import { exactly } from '../../kit/moments'
import TimeAgo from '../../kit/TimeAgo.vue'
import { useAction } from '../../kit/useAction'
import { onNote } from '../../live/feed'
import LogbookLines from '../logbook/LogbookLines.vue'
import NewToken from './NewToken.vue'
import SessionTable from './SessionTable.vue'
import TokenTable from './TokenTable.vue'
import { useSession } from './session'

/** One account: how it logs in, what it has open, and the ways to reset it or shut it out. */
const name = defineModel<string>('name', { required: true })
defineProps<{ mayManage: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const sheet = ref<Schemas['PersonSheet'] | null>(null)
const lines = ref<Schemas['Entry'][]>([])
const link = ref<Schemas['Link'] | null>(null)
const passkeysToo = ref(false)
const ownedBy = ref<'owner' | 'team'>('owner')
const owner = ref('')
const { isBusy, trouble, perform } = useAction()
const isOpen = computed({ get: () => name.value !== '', set: (open) => open || (name.value = '') })
const path = computed(() => ({ params: { path: { name: name.value } } }))
const isSelf = computed(() => name.value === session.name)

async function load(): Promise<void> {
  const asked = name.value
  const [found, about] = await Promise.all([
    answered(api.GET('/api/v1/people/{name}/', path.value)),
    answered(api.GET('/api/v1/logbook/', { params: { query: { thing: asked, page_size: 8 } } })),
  ])
  if (asked !== name.value) return
  sheet.value = found
  lines.value = about.results
}

watch(name, (chosen) => {
  sheet.value = link.value = null
  passkeysToo.value = false
  owner.value = ''
  if (chosen) void perform(load)
})
onNote((note) => {
  if (name.value && note.noun === 'person' && note.name === name.value) void load().catch(() => undefined)
})

function act(work: () => Promise<unknown>, closes = false): Promise<void> {
  return perform(async () => {
    await work()
    emit('changed')
    if (closes) name.value = ''
    else await load()
  })
}

const reset = () => act(async () => (link.value = await answered(api.POST('/api/v1/people/{name}/reset/', { ...path.value, body: { passkeys_too: passkeysToo.value } }))))
const disable = () => act(() => answered(api.POST('/api/v1/people/{name}/disable/', path.value)))
const enable = () => act(() => answered(api.POST('/api/v1/people/{name}/enable/', path.value)))
const remove = () => act(() => answered(api.DELETE('/api/v1/people/{name}/', path.value)), true)
const changeOwner = () => act(() => answered(api.PATCH('/api/v1/people/{name}/', { ...path.value, body: { [ownedBy.value]: owner.value.trim(), purpose: sheet.value?.purpose ?? '' } })))
</script>

<template>
  <Drawer v-model:open="isOpen" :title="name" width="640">
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="sheet">
      <p class="soft">
        {{ sheet.kind === 'service' ? `Service account${sheet.owner ? ` of ${sheet.owner}` : ' without an owner'}` : 'Person' }}, {{ sheet.state }}<template v-if="sheet.disabled_by"> by {{ sheet.disabled_by }}</template>.
        Added <TimeAgo :at="sheet.added_at" /><template v-if="sheet.added_by"> by {{ sheet.added_by }}</template>,
        <template v-if="sheet.last_seen_at">last seen <TimeAgo :at="sheet.last_seen_at" />.</template><template v-else>never seen.</template>
        {{ sheet.purpose ? `${sheet.purpose}.` : '' }}
      </p>
      <template v-if="mayManage">
        <section v-if="link">
          <p>Send this link to <strong>{{ link.name }}</strong>. It sets a new password, once, until {{ exactly(link.ends_at) }}. It is not shown again.</p>
          <CopyText :text="link.link" data-link />
        </section>
        <section v-if="!isSelf" class="row acts">
          <template v-if="sheet.state === 'disabled'">
            <Button type="primary" :loading="isBusy" data-act="enable" @click="enable">Enable {{ name }}</Button>
          </template>
          <template v-else>
            <Popconfirm v-if="sheet.kind === 'person'" :title="`End the password and all sessions of ${name}, and make a link to set a new password?`" ok-text="Reset" cancel-text="Cancel" @confirm="reset">
              <Button :disabled="isBusy" data-act="reset">{{ sheet.state === 'invited' ? 'Make a new link…' : 'Reset log-in…' }}</Button>
            </Popconfirm>
            <Checkbox v-if="sheet.passkeys" v-model:checked="passkeysToo">and passkeys</Checkbox>
            <Popconfirm :title="`Shut ${name} out? Sessions, feeds and downloads end at once, and tokens give no access. Roles stay, and you can enable the account again.`" ok-text="Disable" cancel-text="Cancel" @confirm="disable">
              <Button :disabled="isBusy" data-act="disable">Disable {{ name }}…</Button>
            </Popconfirm>
          </template>
          <Popconfirm :title="`Delete ${name} for good? This works only where no record names the account.`" ok-text="Delete" cancel-text="Cancel" @confirm="remove">
            <Button :disabled="isBusy" data-act="delete">Delete…</Button>
          </Popconfirm>
        </section>
        <p v-else class="soft">This is you. Your own page has your password, sessions and tokens.</p>
        <form v-if="sheet.kind === 'service'" class="row" @submit.prevent="changeOwner">
          <Radio.Group v-model:value="ownedBy" :options="[{ value: 'owner', label: 'a person' }, { value: 'team', label: 'a team' }]" aria-label="Kind of owner" />
          <Input v-model:value="owner" class="owner" :maxlength="100" placeholder="new owner" aria-label="New owner" />
          <Button html-type="submit" :disabled="!owner.trim() || isBusy">Change owner</Button>
        </form>
        <section v-if="sheet.kind === 'person'">
          <h2>Sessions</h2>
          <SessionTable :sessions="sheet.open_sessions" />
        </section>
        <section>
          <h2>Tokens</h2>
          <TokenTable :tokens="sheet.all_tokens" :account="name" @changed="load" />
          <template v-if="sheet.kind === 'service' && sheet.state === 'active'">
            <h3>New token</h3>
            <NewToken :account="name" :paddocks="[...new Set(sheet.roles.map((one) => one.paddock).filter(Boolean))]" @made="load" />
          </template>
        </section>
      </template>
      <section>
        <h2>Logbook</h2>
        <LogbookLines :lines="lines" />
      </section>
    </template>
  </Drawer>
</template>

<style scoped>
section,
form {
  margin: 14px 0;
}

h3 {
  margin: 14px 0 6px;
  font-size: 14px;
}

.acts {
  gap: 10px;
}

.owner {
  width: 200px;
}
</style>
