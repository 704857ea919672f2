<script setup lang="ts">
import { Button, Checkbox, Input, InputNumber, Radio } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import CopyText from '../../kit/CopyText.vue'
import { dayOf } from '../../kit/moments'
import { useAction } from '../../kit/useAction'
import { SCOPES } from './roles'

/** Makes a token for an account; an empty one is the person's own. */
const { account = '', paddocks } = defineProps<{ account?: string; paddocks: string[] }>()
const emit = defineEmits<{ made: [] }>()
const name = ref('')
const scope = ref<Schemas['ScopeEnum']>('read')
const within = ref<string[]>([])
const days = ref(90)
const made = ref<Schemas['NewToken'] | null>(null)
const { isBusy, trouble, perform } = useAction()

function make(): Promise<void> {
  return perform(async () => {
    const body = { account, name: name.value.trim(), scope: scope.value, paddocks: within.value, days: days.value }
    made.value = await answered(api.POST('/api/v1/tokens/', { body }))
    name.value = ''
    emit('made')
  })
}
</script>

<template>
  <div v-if="made" class="made">
    <p>The token “{{ made.name }}”<template v-if="made.ends_at"> ends on {{ dayOf(made.ends_at) }}</template>. Copy it now; it is not shown again.</p>
    <CopyText :text="made.token" data-token />
    <Button size="small" @click="made = null">Make another token</Button>
  </div>
  <form v-else @submit.prevent="make">
    <label class="field">What the token is for<Input v-model:value="name" :maxlength="100" placeholder="nightly trigger" required data-field="token-name" /></label>
    <Radio.Group v-model:value="scope" class="scopes" aria-label="Scope">
      <Radio v-for="one in SCOPES" :key="one.value" :value="one.value">{{ one.label }} <span class="soft">{{ one.more }}</span></Radio>
    </Radio.Group>
    <fieldset v-if="paddocks.length > 1">
      <legend>Paddocks <span class="soft">{{ within.length ? 'only these' : 'all that the account reaches' }}</span></legend>
      <Checkbox.Group v-model:value="within" :options="paddocks" />
    </fieldset>
    <label class="field">Ends after, in days<InputNumber v-model:value="days" :min="1" :max="366" /></label>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <Button html-type="submit" :loading="isBusy" :disabled="!name.trim()" data-act="make-token">Make the token</Button>
  </form>
</template>

<style scoped>
form,
.made {
  display: grid;
  gap: 10px;
  justify-items: start;
  max-width: 440px;
}

fieldset {
  max-height: 180px;
  overflow-y: auto;
  margin: 0;
  padding: 0;
  border: 0;
}

.scopes {
  display: grid;
  gap: 2px;
}
</style>
