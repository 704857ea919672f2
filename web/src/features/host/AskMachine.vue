<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed, onMounted, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import CopyText from '../../kit/CopyText.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { useCopying } from '../../kit/copying'
import { useAction } from '../../kit/useAction'

/** Asks a host's watch to examine the host, and shows its report. */
const props = defineProps<{ host: string; mayAsk: boolean }>()
const { isBusy, trouble, perform } = useAction()
const { word, copy } = useCopying()
const examination = ref<Schemas['Examination']>()
const isShown = ref(false)
const path = computed(() => ({ params: { path: { name: props.host } } }))

async function load(): Promise<void> {
  examination.value = await answered(api.GET('/api/v1/hosts/{name}/examination/', path.value))
}

function ask(): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/hosts/{name}/examination/', path.value))
    await load()
  })
}

onMounted(() => perform(load))
const loadSoon = gathered(load)
onNote((note) => {
  if (note.noun === 'host' || note.noun === 'everything') loadSoon()
})
</script>

<template>
  <div class="ask" data-ask-machine>
    <p class="line">
      <Button v-if="mayAsk" size="small" :loading="isBusy" :disabled="examination?.is_asked" @click="ask">{{ examination?.is_asked ? 'Requested: its watch answers within a minute' : 'Ask the machine' }}</Button>
      <button v-if="examination?.at" type="button" class="bare" :aria-expanded="isShown" @click="isShown = !isShown">
        {{ isShown ? 'Hide its report' : 'Show its report' }}
      </button>
      <span v-if="examination?.at" class="soft"><TimeAgo :at="examination.at" /></span>
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="isShown && examination?.text">
      <pre class="report" tabindex="0">{{ examination.text }}</pre>
      <p class="soft"><button type="button" class="bare" @click="copy(examination.text)">{{ word }} the report</button> Or run it on the machine:</p>
      <CopyText text="sudo paddock-agent doctor" />
    </template>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  gap: 10px;
  align-items: center;
  margin: 4px 0;
}

.bare {
  color: var(--water);
}

.report {
  max-height: 340px;
  margin: 4px 0;
  padding: 8px 10px;
  overflow: auto;
  border-radius: 4px;
  background: var(--code);
  color: var(--code-ink);
  font-family: var(--mono);
  font-size: 12px;
  white-space: pre-wrap;
}
</style>
