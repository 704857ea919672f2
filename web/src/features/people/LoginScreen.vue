<script setup lang="ts">
import { Button, Input } from 'ant-design-vue'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useSession } from './session'
import { useAction } from '../../kit/useAction'

const session = useSession()
const route = useRoute()
const router = useRouter()
const username = ref('')
const password = ref('')
const { isBusy, trouble, perform } = useAction()

function logIn(): Promise<void> {
  return perform(async () => {
    // The cookie that protects forms comes with the question who is logged in.
    if (session.session === null) await session.load()
    await session.logIn(username.value.trim(), password.value)
    const to = route.query.to
    await router.push(typeof to === 'string' && /^\/(?![/\\])/.test(to) ? to : '/')
  })
}
</script>

<template>
  <div class="login">
    <form @submit.prevent="logIn">
      <h1>
        <svg viewBox="0 0 26 18" width="34" height="24" aria-hidden="true">
          <path d="M5 1v16M13 1v16M21 1v16M0 6h26M0 12h26" stroke="currentColor" stroke-width="2.6" fill="none" />
        </svg>
        Yellow Paddock
      </h1>
      <p class="soft">Build hosts, their tools, and where each job ran.</p>
      <label>Name<Input v-model:value="username" name="username" autocomplete="username" autofocus required /></label>
      <label>Password<Input v-model:value="password" type="password" name="password" autocomplete="current-password" required /></label>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <Button type="primary" html-type="submit" :loading="isBusy" block>Log in</Button>
    </form>
  </div>
</template>

<style scoped>
.login {
  display: grid;
  min-height: 90vh;
  place-items: center;
}

form {
  width: 340px;
  padding: 22px 26px 26px;
  border: 2px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
}

h1 {
  display: flex;
  align-items: center;
  gap: 10px;
}

h1 svg {
  color: var(--yellow-deep);
}

label {
  display: flex;
  flex-direction: column;
  gap: 2px;
  margin: 12px 0;
  font-weight: 500;
}

.trouble {
  margin-bottom: 10px;
}
</style>
