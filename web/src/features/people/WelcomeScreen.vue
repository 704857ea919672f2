<script setup lang="ts">
import { Button, Input } from 'ant-design-vue'
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { answered, api, type Schemas } from '../../api/client'
import { exactly } from '../../kit/moments'
import { useAction } from '../../kit/useAction'
import LoginFrame from './LoginFrame.vue'
import { useSession } from './session'

/** Uses a one-time link: sets the first password, or a new one. The secret stands behind the #, which is sent to no server by itself. */
const session = useSession()
const router = useRouter()
const link = decodeURIComponent(window.location.hash.slice(1))
const opened = ref<Schemas['OpenedLink'] | null>(null)
const password = ref('')
const { isBusy, trouble, perform } = useAction()

void perform(async () => {
  if (session.session === null) await session.load()
  if (!link) throw new Error('This address is incomplete. Copy the whole link, with all that follows the #.')
  opened.value = await answered(api.POST('/api/v1/links/open/', { body: { link } }))
})

function accept(): Promise<void> {
  return perform(async () => {
    await session.acceptLink(link, password.value)
    await router.replace(session.name ? '/' : { name: 'login' })
  })
}
</script>

<template>
  <LoginFrame>
    <p v-if="trouble && !opened" class="trouble" role="alert">{{ trouble }}</p>
    <form v-if="opened" @submit.prevent="accept">
      <p v-if="opened.kind === 'invitation'">Welcome, <strong>{{ opened.name }}</strong>. Choose a password.</p>
      <p v-else><strong>{{ opened.name }}</strong>, choose a new password.</p>
      <p v-if="session.name && session.name !== opened.name" class="note">You are logged in as {{ session.name }}. This link logs you in as {{ opened.name }}.</p>
      <input type="text" name="username" :value="opened.name" autocomplete="username" hidden />
      <label>Password, at least 10 characters<Input v-model:value="password" type="password" name="password" autocomplete="new-password" autofocus /></label>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <Button type="primary" html-type="submit" block :loading="isBusy" :disabled="password.length < 10">Set the password and log in</Button>
      <p class="soft until">The link is good once, until {{ exactly(opened.ends_at) }}.</p>
    </form>
  </LoginFrame>
</template>

<style scoped>
.until {
  margin-top: 10px;
}
</style>
