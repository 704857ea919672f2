<script setup lang="ts">
import { Button, Drawer, Input } from 'ant-design-vue'
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { answered, api } from '../../api/client'
import { useAction } from '../../kit/useAction'
import TermsEditor from './TermsEditor.vue'

/** Send a job from the browser: what it needs, and what it runs. */
const open = defineModel<boolean>('open', { required: true })
const router = useRouter()

const name = ref('')
const pipeline = ref('')
const terms = ref('')
const script = ref('')
const { isBusy, trouble, perform } = useAction()

function send(): Promise<void> {
  return perform(async () => {
    const body = {
      name: name.value.trim(),
      pipeline: pipeline.value.trim(),
      terms: terms.value.split('\n').map((line) => line.trim()).filter(Boolean),
      script: script.value,
    }
    const job = await answered(api.POST('/api/v1/jobs/', { body }))
    open.value = false
    name.value = terms.value = script.value = ''
    await router.push({ name: 'board', params: { id: String(job.id) } })
  })
}
</script>

<template>
  <Drawer v-model:open="open" title="Send a job" width="560">
    <form @submit.prevent="send">
      <div class="two">
        <label>Name<Input v-model:value="name" :maxlength="100" placeholder="compile-arm" required data-field="name" /></label>
        <label>Pipeline<Input v-model:value="pipeline" :maxlength="100" placeholder="tide-gauge-firmware" required data-field="pipeline" /></label>
      </div>
      <label>Terms, one per line<span class="soft">A job without terms may run on any host. A line that starts with prefer never excludes a host.</span></label>
      <TermsEditor v-model="terms" :pipeline="pipeline.trim()" />
      <label>Script<Input.TextArea v-model:value="script" class="machine" :auto-size="{ minRows: 6, maxRows: 18 }" spellcheck="false" required data-field="script" /></label>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <Button type="primary" html-type="submit" :loading="isBusy" :disabled="!name.trim() || !pipeline.trim() || !script.trim()">Send</Button>
    </form>
  </Drawer>
</template>

<style scoped>
label {
  display: flex;
  flex-direction: column;
  gap: 2px;
  margin: 10px 0 4px;
  font-weight: 500;
}

label .soft {
  font-weight: 400;
}

.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}

form > button,
.trouble {
  margin-top: 12px;
}
</style>
