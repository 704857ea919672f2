<script setup lang="ts">
import { Button, Input, InputNumber } from 'ant-design-vue'
import { reactive, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import CopyText from '../../kit/CopyText.vue'
import { useAction } from '../../kit/useAction'
import { sshTargets } from './issued-command'

/** The server goes into the machine itself, once, and runs the same script. The machine's key is trusted first. */
const props = defineProps<{ sheet: Schemas['BringUp']; publicKey: string }>()
const emit = defineEmits<{ begun: [] }>()
const before = sshTargets.get(props.sheet.id)
const where = reactive({ address: before?.address ?? props.sheet.name, port: before?.port ?? 22 })
const user = ref(before?.user ?? 'root')
const password = ref('')
const byPassword = ref(false)
const found = ref<Schemas['FoundKey'] | null>(null)
const { isBusy, trouble, perform } = useAction()
const path = { id: props.sheet.id }

watch(where, () => (found.value = null))

function look(): Promise<void> {
  return perform(async () => {
    found.value = await answered(api.POST('/api/v1/bring-ups/{id}/ssh/look/', { params: { path }, body: where }))
  })
}

function forget(): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/bring-ups/{id}/ssh/forget/', { params: { path }, body: where }))
    await look()
  })
}

function goIn(): Promise<void> {
  return perform(async () => {
    const body = { ...where, user: user.value, fingerprint: found.value?.fingerprint ?? '', password: byPassword.value ? password.value : '' }
    await answered(api.POST('/api/v1/bring-ups/{id}/ssh/go-in/', { params: { path }, body }))
    sshTargets.set(props.sheet.id, { ...where, user: user.value })
    emit('begun')
  }).finally(() => {
    password.value = ''
    found.value = null
  })
}
</script>

<template>
  <details class="ssh" :open="Boolean(before)">
    <summary>{{ before ? 'Connect over SSH again' : 'Or let the server connect over SSH' }}</summary>
    <form @submit.prevent="look">
      <div class="line">
        <label>Address<Input v-model:value="where.address" :maxlength="200" class="machine" data-field="ssh-address" /></label>
        <label class="port">Port<InputNumber v-model:value="where.port" :min="1" :max="65535" data-field="ssh-port" /></label>
        <label>Account<Input v-model:value="user" :maxlength="100" class="machine" data-field="ssh-user" /></label>
      </div>
      <Button html-type="submit" :loading="isBusy && !found" :disabled="!where.address.trim()">Check its host key</Button>
    </form>
    <form v-if="found" @submit.prevent="goIn">
      <p>
        The machine shows this {{ found.kind }} key <code data-fingerprint>{{ found.fingerprint }}</code>.
        <template v-if="found.standing === 'new'">This key is new. Compare it with the key that the machine shows:</template>
        <template v-else-if="found.standing === 'trusted'">This is the trusted key.</template>
        <strong v-else class="trouble">The key has changed. Either the machine was reinstalled, or the connection is intercepted. Nothing was sent.</strong>
      </p>
      <CopyText v-if="found.standing === 'new'" text="for key in /etc/ssh/ssh_host_*_key.pub; do ssh-keygen -lf $key; done" />
      <Button v-if="found.standing === 'changed'" @click="forget">It was reinstalled: forget the old key…</Button>
      <template v-else>
        <label><input v-model="byPassword" type="radio" :value="false" /> With this server’s key; add it to the machine’s authorized keys:</label>
        <CopyText v-if="!byPassword" :text="`mkdir -p ~/.ssh && echo '${publicKey}' >> ~/.ssh/authorized_keys`" />
        <label><input v-model="byPassword" type="radio" :value="true" /> With a password, used once and not stored:</label>
        <Input v-if="byPassword" v-model:value="password" type="password" autocomplete="off" aria-label="Password" data-field="ssh-password" />
        <Button type="primary" html-type="submit" :loading="isBusy" :disabled="byPassword && !password">Trust the key and connect</Button>
      </template>
    </form>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
  font-weight: 600;
}

form {
  display: flex;
  flex-direction: column;
  gap: 7px;
  margin-top: 9px;
}

form > button {
  align-self: flex-start;
}

.line {
  display: grid;
  grid-template-columns: 2fr 1fr 1fr;
  gap: 8px;
}

.line label {
  display: flex;
  flex-direction: column;
}

input[type='radio'] {
  accent-color: var(--ink);
}

code {
  overflow-wrap: anywhere;
}
</style>
