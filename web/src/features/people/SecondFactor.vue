<script setup lang="ts">
import { Button, Input } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api } from '../../api/client'
import { useAction } from '../../kit/useAction'
import { passkeyObstacle, usePasskey } from './passkeys'
import { useSession } from './session'

/** The second step of a log-in: a passkey, or a recovery code where it is not at hand. */
const emit = defineEmits<{ done: [] }>()
const session = useSession()
const obstacle = passkeyObstacle()
const usesCode = ref(obstacle !== '')
const code = ref('')
const { isBusy, trouble, perform } = useAction()

function finish(body: { credential: Record<string, unknown> } | { recovery_code: string }): Promise<void> {
  return session.finishLogIn(body).then(() => emit('done'))
}

function withPasskey(): Promise<void> {
  return perform(async () => {
    const { options } = await answered(api.GET('/api/v1/session/second-factor/'))
    await finish({ credential: await usePasskey(options) })
  })
}

const withCode = () => perform(() => finish({ recovery_code: code.value }))
</script>

<template>
  <div>
    <p>Your password is right. Now your second factor.</p>
    <p v-if="obstacle" class="soft">{{ obstacle }}</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <form v-if="usesCode" @submit.prevent="withCode">
      <label>Recovery code<Input v-model:value="code" name="recovery-code" autocomplete="one-time-code" :maxlength="100" autofocus /></label>
      <Button type="primary" html-type="submit" block :loading="isBusy" :disabled="!code.trim()">Log in with the code</Button>
      <p v-if="!obstacle" class="other"><button type="button" class="bare note" @click="usesCode = false">Use a passkey instead</button></p>
    </form>
    <template v-else>
      <p class="other"><Button type="primary" block :loading="isBusy" data-act="use-passkey" @click="withPasskey">Use your passkey</Button></p>
      <p class="other"><button type="button" class="bare note" data-act="use-code" @click="usesCode = true">Use a recovery code instead</button></p>
    </template>
    <p class="other"><button type="button" class="bare note" @click="session.logOut()">Log in as another person</button></p>
  </div>
</template>

<style scoped>
.other {
  margin-top: 12px;
}
</style>
