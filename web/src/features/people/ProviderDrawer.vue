<script setup lang="ts">
import { Button, Checkbox, Drawer, Input } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { serverAddress } from '../../api/address'
import { answered, api, type Schemas } from '../../api/client'
import CopyText from '../../kit/CopyText.vue'
import { useAction } from '../../kit/useAction'

/** Adds or changes a sign-on provider. */
const provider = defineModel<Schemas['Provider'] | 'new' | null>('provider', { required: true })
const emit = defineEmits<{ saved: [] }>()
const wanted = ref({ name: '', issuer: '', client_id: '', client_secret: '', groups_claim: 'groups', is_on: true })
const { isBusy, trouble, perform } = useAction()
const isOpen = computed({ get: () => provider.value !== null, set: (open) => open || (provider.value = null) })
const known = computed(() => (provider.value === 'new' ? null : provider.value))
const redirect = computed(() => known.value?.redirect ?? `${serverAddress}/sign-on/return`)

watch(provider, () => {
  const one = known.value
  wanted.value = { name: one?.name ?? '', issuer: one?.issuer ?? '', client_id: one?.client_id ?? '', client_secret: '', groups_claim: one?.groups_claim ?? 'groups', is_on: one?.is_on ?? true }
  trouble.value = ''
})

function save(): Promise<void> {
  return perform(async () => {
    const body = { ...wanted.value, issuer: wanted.value.issuer.trim(), client_secret: wanted.value.client_secret || (known.value ? null : '') }
    if (known.value) await answered(api.PUT('/api/v1/sign-on-providers/{id}/', { params: { path: { id: known.value.id } }, body }))
    else await answered(api.POST('/api/v1/sign-on-providers/', { body }))
    provider.value = null
    emit('saved')
  })
}
</script>

<template>
  <Drawer v-model:open="isOpen" :title="known ? known.name : 'Add a sign-on provider'" width="480">
    <form @submit.prevent="save">
      <p class="soft">Register this server at the provider first, with this redirect address:</p>
      <CopyText :text="redirect" />
      <label class="field">Name, as people see it<Input v-model:value="wanted.name" :maxlength="60" placeholder="Harbour ID" required data-field="provider-name" /></label>
      <label class="field">Issuer<Input v-model:value="wanted.issuer" :maxlength="300" placeholder="https://id.saltmarsh.example" required data-field="issuer" /></label>
      <label class="field">Client ID<Input v-model:value="wanted.client_id" :maxlength="200" required data-field="client" /></label>
      <label class="field">Client secret<Input v-model:value="wanted.client_secret" type="password" autocomplete="off" :maxlength="500" :placeholder="known?.has_secret ? 'unchanged' : 'none'" data-field="client-secret" /></label>
      <label class="field">Claim with the groups<Input v-model:value="wanted.groups_claim" :maxlength="60" required /></label>
      <Checkbox v-model:checked="wanted.is_on">People can sign on with it</Checkbox>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <Button type="primary" html-type="submit" :loading="isBusy" :disabled="!wanted.name.trim() || !wanted.issuer.trim() || !wanted.client_id.trim()" data-act="save-provider">Save the provider</Button>
    </form>
  </Drawer>
</template>

<style scoped>
form {
  display: grid;
  gap: 10px;
}
</style>
