<script setup lang="ts">
import { computed, nextTick, onMounted, ref, useId, watch } from 'vue'
import { answered, api, ProblemError, type Schemas } from '../../api/client'
import { completed, placeOf, suggestions } from './term-completion'
import { count } from '../../kit/format'

/** Terms, one per line, tried against the fleet as they are typed: beside each line, on how many hosts it holds. */
const text = defineModel<string>({ required: true })
const props = defineProps<{ slots?: number; pipeline?: string }>()
const fit = ref<Schemas['Fit'] | null>(null)
const words = ref<Schemas['Words'] | null>(null)
const mistakes = ref<Map<number, string>>(new Map())
const whole = ref('')
const area = ref<HTMLTextAreaElement | null>(null)
const caret = ref(0)
const at = ref(0)
const isOpen = ref(false)
const listId = useId()
let timer: ReturnType<typeof setTimeout> | undefined
let newest = 0

const lines = computed(() => text.value.split('\n'))
/** The lines that say something, with where they stand. */
const filled = computed(() => lines.value.map((line, place) => ({ line: line.trim(), place })).filter(({ line }) => line))
const offered = computed(() => (words.value && isOpen.value ? suggestions(placeOf(text.value, caret.value).before, words.value) : []))

/** What stands beside a line: a mistake, or on how many hosts it holds. */
const beside = computed(() => {
  const found = new Map<number, { text: string; wrong: boolean }>()
  for (const [place, mistake] of mistakes.value) found.set(place, { text: mistake, wrong: true })
  if (!fit.value) return found
  filled.value.forEach(({ place }, at) => {
    const one = fit.value?.lines[at]
    if (one) found.set(place, { text: `${one.hosts} of ${fit.value?.all_hosts}`, wrong: one.hosts === 0 })
  })
  return found
})

async function tryThem(): Promise<void> {
  const mine = ++newest
  try {
    const terms = filled.value.map(({ line }) => line)
    const answer = await answered(api.POST('/api/v1/fit/', { body: { terms, slots: props.slots ?? 1, pipeline: props.pipeline ?? '', all: false } }))
    if (mine !== newest) return
    fit.value = answer
    mistakes.value = new Map()
    whole.value = ''
  } catch (error) {
    if (mine !== newest) return
    fit.value = null
    const found = error instanceof ProblemError ? (error.problem.errors ?? []) : []
    const wrong = found.filter((one) => one.pointer.startsWith('/terms/'))
    mistakes.value = new Map(wrong.map((one) => [filled.value[Number(one.pointer.split('/')[2])]?.place ?? 0, one.detail]))
    whole.value = wrong.length ? '' : (error as Error).message
  }
}

watch(
  () => [text.value, props.slots, props.pipeline],
  () => {
    clearTimeout(timer)
    timer = setTimeout(() => void tryThem(), 200)
  },
  { immediate: true },
)
onMounted(async () => {
  words.value = await answered(api.GET('/api/v1/words/')).catch(() => null)
})

function follow(): void {
  caret.value = area.value?.selectionStart ?? 0
}

function typed(): void {
  follow()
  at.value = 0
  isOpen.value = true
}

async function take(word: string): Promise<void> {
  const next = completed(text.value, caret.value, word)
  text.value = next.text
  await nextTick()
  area.value?.focus()
  area.value?.setSelectionRange(next.caret, next.caret)
  typed()
}

function onKey(event: KeyboardEvent): void {
  const list = offered.value
  if (!list.length) return
  const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0
  const chosen = list[at.value]
  if (step) at.value = (at.value + step + list.length) % list.length
  else if (event.key === 'Tab' && !event.shiftKey && chosen) void take(chosen.word)
  else if (event.key === 'Escape') isOpen.value = false
  else return
  event.preventDefault()
  event.stopPropagation()
}
</script>

<template>
  <div class="editor">
    <textarea
      ref="area"
      v-model="text"
      class="machine"
      :rows="Math.min(14, Math.max(4, lines.length + 1))"
      placeholder="os linux&#10;tool jdk 17..21&#10;prefer label fast-disk"
      aria-label="Terms, one per line"
      spellcheck="false"
      wrap="off"
      role="combobox"
      aria-autocomplete="list"
      :aria-expanded="offered.length > 0"
      :aria-controls="listId"
      @input="typed"
      @keydown="onKey"
      @keyup="follow"
      @click="follow"
      @blur="isOpen = false"
    ></textarea>
    <ol class="beside machine" aria-hidden="true">
      <li v-for="(_, place) in lines" :key="place" :class="{ trouble: beside.get(place)?.wrong }">{{ mistakes.has(place) ? '✕' : (beside.get(place)?.text ?? '') }}</li>
    </ol>
  </div>
  <ul v-show="offered.length" :id="listId" class="offered" role="listbox" aria-label="Suggestions">
    <li v-for="(one, place) in offered" :key="one.word" role="option" :aria-selected="place === at" @mousedown.prevent="take(one.word)">
      <code>{{ one.word }}</code><span v-if="one.hosts !== null" class="soft">{{ count(one.hosts, 'host') }}</span>
    </li>
    <li class="soft hint" aria-hidden="true">Tab completes</li>
  </ul>
  <div aria-live="polite">
    <p v-for="[place, mistake] in mistakes" :key="place" class="trouble machine">Line {{ place + 1 }}, {{ mistake }}</p>
    <p v-if="whole" class="trouble">{{ whole }}</p>
    <p v-if="fit" class="verdict">
      <strong>{{ fit.fits }} of {{ count(fit.all_hosts, 'host') }} {{ fit.fits === 1 ? 'fits' : 'fit' }}.</strong> {{ fit.reason }}
    </p>
  </div>
</template>

<style scoped>
.editor {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
}

.editor:focus-within {
  outline: 2px solid var(--water);
}

textarea {
  padding: 6px 10px;
  border: 0;
  outline: 0;
  background: transparent;
  color: inherit;
  font-size: 13px;
  line-height: 22px;
  resize: none;
}

.beside {
  min-width: 74px;
  margin: 0;
  padding: 6px 10px;
  border-left: 1px solid var(--fence);
  color: var(--moss);
  font-size: 12px;
  line-height: 22px;
  text-align: right;
  list-style: none;
}

.beside li {
  height: 22px;
}

.beside .trouble {
  color: var(--rust);
}

.offered {
  max-width: 420px;
  margin: 2px 0 0;
  padding: 3px 0;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
  list-style: none;
}

.offered li {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  padding: 1px 10px;
  cursor: pointer;
}

.offered [aria-selected='true'] {
  background: var(--paper-deep);
  box-shadow: inset 3px 0 var(--ink);
}

.hint {
  border-top: 1px solid var(--fence);
  font-size: 12px;
  cursor: default;
}

.verdict {
  margin-top: 6px;
}
</style>
