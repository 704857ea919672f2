<script setup lang="ts">
import { Button, Input } from 'ant-design-vue'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { linkTo } from '../../api/address'
import { answered, api, type Schemas } from '../../api/client'
import { useAction } from '../../kit/useAction'
import LoginFrame from './LoginFrame.vue'
import SecondFactor from './SecondFactor.vue'
import { useSession } from './session'

const session = useSession()
const route = useRoute()
const router = useRouter()
const username = ref('')
const password = ref('')
const providers = ref<Schemas['OfferedProvider'][]>([])
const refused = ref('')
const { isBusy, trouble, perform } = useAction()

void (async () => {
  const asked = { params: { query: { refused: String(route.query.refused ?? '') } } }
  const found = await answered(api.GET('/api/v1/sign-on/', asked)).catch(() => null)
  providers.value = found?.providers ?? []
  refused.value = found?.refused ?? ''
})()

function place(): string {
  const to = route.query.to
  return typeof to === 'string' && /^\/(?![/\\])/.test(to) ? to : '/'
}

function logIn(): Promise<void> {
  return perform(async () => {
    refused.value = ''
    // The cookie that protects forms comes with the question who is logged in.
    if (session.session === null) await session.load()
    await session.logIn(username.value.trim(), password.value)
    if (session.name) await router.push(place())
  })
}
</script>

<template>
  <LoginFrame>
    <SecondFactor v-if="session.session?.awaits_second_factor" @done="router.push(place())" />
    <form v-else @submit.prevent="logIn">
      <p class="soft">Build hosts, their tools, and where each job ran.</p>
      <p v-if="route.query.ended" class="note" role="status">Your session has ended. Log in again.</p>
      <label>Name<Input v-model:value="username" name="username" autocomplete="username" autofocus required /></label>
      <label>Password<Input v-model:value="password" type="password" name="password" autocomplete="current-password" required /></label>
      <p v-if="trouble || refused" class="trouble" role="alert">{{ trouble || refused }}</p>
      <Button type="primary" html-type="submit" :loading="isBusy" block>Log in</Button>
      <p v-for="provider in providers" :key="provider.id" class="provider">
        <Button block :href="linkTo(`/sign-on/${provider.id}/begin?to=${encodeURIComponent(place())}`)" :data-provider="provider.name">Sign on with {{ provider.name }}</Button>
      </p>
    </form>
  </LoginFrame>
</template>

<style scoped>
.provider {
  margin-top: 10px;
}
</style>
