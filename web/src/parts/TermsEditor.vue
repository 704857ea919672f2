<script setup lang="ts">
import { Input } from 'ant-design-vue'
import { ref, watch } from 'vue'
import { answered, api, ProblemError, type Schemas } from '../api/client'
import TermCounts from './TermCounts.vue'

/** Terms, one a line, tried against the fleet as they are typed. */
const text = defineModel<string>({ required: true })
const fit = ref<Schemas['Fit'] | null>(null)
const mistakes = ref<string[]>([])
let timer: ReturnType<typeof setTimeout> | undefined
let newest = 0

function lines(): string[] {
  return text.value.split('\n').map((line) => line.trim()).filter(Boolean)
}

async function tryThem(): Promise<void> {
  const mine = ++newest
  try {
    const answer = await answered(api.POST('/api/v1/fit/', { body: { terms: lines() } }))
    if (mine !== newest) return
    fit.value = answer
    mistakes.value = []
  } catch (error) {
    if (mine !== newest) return
    fit.value = null
    const found = error instanceof ProblemError ? (error.problem.errors ?? []) : []
    mistakes.value = found.length
      ? found.map((one) => `${lines()[Number(one.pointer.split('/').pop())] ?? ''}: ${one.detail}`)
      : [(error as Error).message]
  }
}

watch(
  text,
  () => {
    clearTimeout(timer)
    timer = setTimeout(() => void tryThem(), 200)
  },
  { immediate: true },
)
</script>

<template>
  <Input.TextArea v-model:value="text" class="machine" :auto-size="{ minRows: 3, maxRows: 12 }" placeholder="os linux&#10;tool jdk 17..21&#10;label bench-rig" aria-label="Terms, one a line" spellcheck="false" />
  <div aria-live="polite">
    <p v-for="mistake in mistakes" :key="mistake" class="trouble machine">{{ mistake }}</p>
    <template v-if="fit">
      <TermCounts v-if="fit.terms.length" :fit="fit" />
      <p class="verdict">
        <strong>{{ fit.fits }} of {{ fit.all_hosts }} hosts {{ fit.fits === 1 ? 'fits' : 'fit' }}.</strong> {{ fit.reason }}
      </p>
    </template>
  </div>
</template>

<style scoped>
.verdict {
  margin-top: 6px;
}
</style>
