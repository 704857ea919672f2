<script setup lang="ts">
import { Button, Input, Popconfirm } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import CopyText from '../../kit/CopyText.vue'
import { count } from '../../kit/format'
import TimeAgo from '../../kit/TimeAgo.vue'
import { useAction } from '../../kit/useAction'
import { makePasskey, passkeyObstacle } from './passkeys'

/** One's second factor: passkeys, and the recovery codes that stand in for them. */
const props = defineProps<{ own: Schemas['Own'] }>()
const emit = defineEmits<{ changed: [] }>()
const name = ref('')
const codes = ref<string[]>([])
const obstacle = passkeyObstacle()
const { isBusy, trouble, perform } = useAction()

function add(): Promise<void> {
  return perform(async () => {
    const { options } = await answered(api.POST('/api/v1/me/passkeys/options/'))
    const credential = await makePasskey(options)
    const made = await answered(api.POST('/api/v1/me/passkeys/', { body: { name: name.value.trim(), credential } }))
    if (made.recovery_codes.length) codes.value = made.recovery_codes
    name.value = ''
    emit('changed')
  })
}

function remove(id: number): Promise<void> {
  return perform(async () => {
    await answered(api.DELETE('/api/v1/me/passkeys/{id}/', { params: { path: { id } } }))
    if (props.own.passkeys.length === 1) codes.value = []
    emit('changed')
  })
}

function renew(): Promise<void> {
  return perform(async () => {
    codes.value = (await answered(api.POST('/api/v1/me/recovery-codes/'))).recovery_codes
    emit('changed')
  })
}
</script>

<template>
  <section aria-label="Passkeys">
    <h2>Second factor</h2>
    <p v-if="!own.passkeys.length" class="soft">With a passkey, your password alone does not let anyone in.</p>
    <table v-else class="plain-table">
      <tbody>
        <tr v-for="one in own.passkeys" :key="one.id" :data-passkey="one.name">
          <td><strong>{{ one.name }}</strong></td>
          <td class="soft"><template v-if="one.last_used_at">used <TimeAgo :at="one.last_used_at" /></template><template v-else>not used yet</template></td>
          <td class="acts">
            <Popconfirm :title="own.passkeys.length === 1 ? `Remove “${one.name}”? Your password alone lets you in then.` : `Remove “${one.name}”?`" ok-text="Remove" cancel-text="Cancel" @confirm="remove(one.id)">
              <Button size="small" :disabled="isBusy" data-act="remove-passkey">Remove…</Button>
            </Popconfirm>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="own.passkeys.length" class="row">
      <span :class="own.recovery_codes_left < 3 ? 'trouble' : 'soft'">{{ count(own.recovery_codes_left, 'recovery code is', 'recovery codes are') }} left.</span>
      <Popconfirm title="Make new recovery codes? The ones before them end." ok-text="Make new ones" cancel-text="Cancel" @confirm="renew"><Button size="small" :disabled="isBusy">New recovery codes…</Button></Popconfirm>
    </p>
    <div v-if="codes.length" class="codes">
      <p>Keep these codes where you find them without this device. Each lets you in once. They are not shown again.</p>
      <CopyText :text="codes.join('\n')" data-codes />
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="obstacle" class="soft">{{ obstacle }}</p>
    <form v-else class="row" @submit.prevent="add">
      <Input v-model:value="name" class="name" :maxlength="100" placeholder="desk key" aria-label="Name of the passkey" data-field="passkey-name" />
      <Button html-type="submit" :loading="isBusy" :disabled="!name.trim()" data-act="add-passkey">Add a passkey</Button>
    </form>
  </section>
</template>

<style scoped>
section {
  margin-top: 18px;
}

.acts {
  text-align: right;
}

.name {
  max-width: 200px;
}

.codes {
  margin: 8px 0;
}
</style>
