<script setup lang="ts">
import { nextTick, onUnmounted, ref, watch } from 'vue'
import { gathered, onNote } from '../api/feed'
import { readable, tail } from './log-text'
import { size } from './wording'

/** The log of one attempt, followed while it is written. */
const props = defineProps<{ job: number; attempt: number; live: boolean }>()

const MOST_SHOWN = 400_000
const text = ref('')
const leftOut = ref(0)
const bytes = ref(0)
const trouble = ref('')
const box = ref<HTMLElement | null>(null)
let decoder = new TextDecoder()
let raw = ''
let isGone = false

async function load(): Promise<void> {
  const { job, attempt } = props
  let piece: ArrayBuffer
  try {
    const answer = await fetch(`/api/v1/jobs/${job}/log/?attempt=${attempt}&offset=${bytes.value}`)
    if (!answer.ok) throw new Error(`The log could not be read: the server answered ${answer.status}.`)
    piece = await answer.arrayBuffer()
  } catch (error) {
    trouble.value = (error as Error).message
    return
  }
  if (isGone || job !== props.job || attempt !== props.attempt) return
  trouble.value = ''
  if (!piece.byteLength) return
  bytes.value += piece.byteLength
  const kept = tail(raw + decoder.decode(piece, { stream: true }), MOST_SHOWN)
  leftOut.value += kept.leftOut
  raw = kept.text
  const follows = !box.value || box.value.scrollHeight - box.value.scrollTop - box.value.clientHeight < 40
  text.value = readable(raw)
  await nextTick()
  if (follows && box.value) box.value.scrollTop = box.value.scrollHeight
}

const loadSoon = gathered(load)

watch(
  () => [props.job, props.attempt],
  () => {
    decoder = new TextDecoder()
    raw = text.value = ''
    bytes.value = leftOut.value = 0
    void load()
  },
  { immediate: true },
)
watch(() => props.live, loadSoon)
onNote((note) => {
  if (note.noun === 'everything' || (note.noun === 'log' && note.name === String(props.job))) loadSoon()
})
onUnmounted(() => (isGone = true))
</script>

<template>
  <div class="log">
    <div class="head row">
      <span>Log{{ live ? ', as it is written' : '' }} · {{ size(bytes) }}</span>
      <a :href="`/api/v1/jobs/${job}/log/?attempt=${attempt}`" target="_blank" rel="noopener">The whole log as text</a>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="leftOut" class="soft">The first {{ size(leftOut) }} are not shown here.</p>
    <pre ref="box" tabindex="0" aria-label="Log">{{ text || (live ? 'Nothing printed yet.' : 'It printed nothing.') }}</pre>
  </div>
</template>

<style scoped>
.head {
  justify-content: space-between;
}

pre {
  color-scheme: dark;
  max-height: 320px;
  margin: 4px 0 0;
  padding: 10px 12px;
  border-radius: 4px;
  overflow: auto;
  background: var(--code);
  color: var(--code-ink);
  line-height: 1.5;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
