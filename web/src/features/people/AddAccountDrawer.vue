<script setup lang="ts">
import { Button, Drawer, Input, InputNumber, Radio } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import CopyText from '../../kit/CopyText.vue'
import { exactly } from '../../kit/moments'
import { useAction } from '../../kit/useAction'
import NewToken from './NewToken.vue'
import { ROLES, type Role } from './roles'
import { useSession } from './session'

/** Invites a person by a one-time link, or adds a service account and its first token. */
const kind = defineModel<'person' | 'service' | null>('kind', { required: true })
const props = defineProps<{ paddocks: string[]; people: string[] }>()
const emit = defineEmits<{ added: [] }>()
const session = useSession()
const { isBusy, trouble, perform } = useAction()
const name = ref('')
const role = ref<Role>('viewer')
const place = ref('')
const days = ref(3)
const ownedBy = ref<'person' | 'team'>('person')
const owner = ref(session.name ?? '')
const team = ref('')
const purpose = ref('')
const link = ref<Schemas['Link'] | null>(null)
const made = ref('')
const isOpen = computed({ get: () => kind.value !== null, set: (open) => open || (kind.value = null) })
const places = computed(() => [{ value: '', label: 'everything' }, ...props.paddocks.map((one) => ({ value: one, label: one }))])

watch(kind, () => {
  name.value = team.value = purpose.value = made.value = trouble.value = ''
  role.value = 'viewer'
  place.value = ''
  link.value = null
})

function add(): Promise<void> {
  return perform(async () => {
    const shared = { name: name.value.trim(), role: role.value, paddock: place.value || null }
    if (kind.value === 'person') {
      link.value = await answered(api.POST('/api/v1/people/', { body: { ...shared, hours: days.value * 24 } }))
    } else {
      const by = ownedBy.value === 'person' ? { owner: owner.value, team: '' } : { owner: '', team: team.value.trim() }
      made.value = (await answered(api.POST('/api/v1/service-accounts/', { body: { ...shared, ...by, purpose: purpose.value.trim() } }))).name
    }
    emit('added')
  })
}
</script>

<template>
  <Drawer v-model:open="isOpen" :title="kind === 'service' ? 'Add a service account' : 'Invite a person'" width="480">
    <template v-if="link">
      <p>Send this link to <strong>{{ link.name }}</strong>. It sets a password and logs in, once, until {{ exactly(link.ends_at) }}. It is not shown again.</p>
      <CopyText :text="link.link" data-link />
      <p class="soft">Who has the link can use it. Send it by a way that only {{ link.name }} reads.</p>
      <Button @click="kind = null">Done</Button>
    </template>
    <template v-else-if="made">
      <p><strong>{{ made }}</strong> is there. Programs act as it with a token.</p>
      <NewToken :account="made" :paddocks="paddocks" @made="emit('added')" />
    </template>
    <form v-else @submit.prevent="add">
      <p v-if="kind === 'service'" class="soft">For a program, such as a build trigger. It has roles and tokens, and no password.</p>
      <label class="field">Name<Input v-model:value="name" :maxlength="60" :placeholder="kind === 'service' ? 'tide-ci' : 'first.last'" required data-field="name" /></label>
      <div class="field" role="group" aria-label="Role">Role<Radio.Group v-model:value="role" :options="ROLES.map((one) => ({ value: one, label: one }))" /></div>
      <label class="field">Where<ChoiceField v-model:value="place" :options="places" data-field="place" /></label>
      <label v-if="kind === 'person'" class="field">The link is good for, in days<InputNumber v-model:value="days" :min="1" :max="30" /></label>
      <template v-else>
        <div class="field" role="group" aria-label="Owner">Owner<Radio.Group v-model:value="ownedBy" :options="[{ value: 'person', label: 'a person' }, { value: 'team', label: 'a team' }]" /></div>
        <ChoiceField v-if="ownedBy === 'person'" v-model:value="owner" :options="people.map((one) => ({ value: one, label: one }))" label="Owner" />
        <Input v-else v-model:value="team" :maxlength="100" placeholder="gauge firmware" aria-label="Team" />
        <label class="field">What it is for<Input v-model:value="purpose" :maxlength="300" placeholder="starts the nightly soak tests" /></label>
      </template>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <Button type="primary" html-type="submit" :loading="isBusy" :disabled="!name.trim()" data-act="add-account">{{ kind === 'service' ? 'Add the account' : 'Make the link' }}</Button>
    </form>
  </Drawer>
</template>

<style scoped>
form {
  display: grid;
  gap: 12px;
}

p {
  margin-bottom: 10px;
}
</style>
