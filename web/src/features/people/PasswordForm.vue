<script setup lang="ts">
import { Button, Input } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api } from '../../api/client'
import { count } from '../../kit/format'
import TimeAgo from '../../kit/TimeAgo.vue'
import { useAction } from '../../kit/useAction'

/** Changes one's password, which ends all other sessions. */
defineProps<{ changedAt: string | null }>()
const emit = defineEmits<{ changed: [] }>()
const isOpen = ref(false)
const old = ref('')
const password = ref('')
const result = ref('')
const { isBusy, trouble, perform } = useAction()

function change(): Promise<void> {
  return perform(async () => {
    const { sessions_ended } = await answered(api.POST('/api/v1/me/password/', { body: { old: old.value, password: password.value } }))
    result.value = `Your password is changed. ${count(sessions_ended, 'other session')} ended.`
    old.value = password.value = ''
    isOpen.value = false
    emit('changed')
  })
}
</script>

<template>
  <p v-if="result" class="well" role="status">{{ result }}</p>
  <p v-if="!isOpen" class="row">
    <span class="soft">Password<template v-if="changedAt">, changed <TimeAgo :at="changedAt" /></template></span>
    <Button size="small" data-act="change-password" @click="isOpen = true">Change password</Button>
  </p>
  <form v-else @submit.prevent="change">
    <label class="field">Present password<Input v-model:value="old" type="password" autocomplete="current-password" required data-field="old" /></label>
    <label class="field">New password, at least 10 characters<Input v-model:value="password" type="password" autocomplete="new-password" required data-field="new" /></label>
    <p class="soft">All your other sessions end.</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div class="row">
      <Button type="primary" html-type="submit" :loading="isBusy" :disabled="!old || password.length < 10" data-act="save-password">Change password</Button>
      <Button @click="isOpen = false">Cancel</Button>
    </div>
  </form>
</template>

<style scoped>
form {
  display: grid;
  gap: 8px;
  max-width: 320px;
}
</style>
