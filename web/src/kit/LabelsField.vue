<script setup lang="ts">
import { computed, ref } from 'vue'
import { endsWord, readWords, sayRead } from './label-list'

/** A list of words, typed or pasted. Enter, a comma, a space (unless words are `spaced`) or leaving the field adds what was typed. */
const words = defineModel<string[]>({ required: true })
const { name, placeholder = 'none', known = [], spaced = false } = defineProps<{ name: string; placeholder?: string; known?: readonly string[]; spaced?: boolean }>()
const typed = ref('')
const message = ref('')
const before = ref<string[] | null>(null)
const input = ref<HTMLInputElement>()
const listId = `known-${Math.random().toString(36).slice(2)}`
const suggested = computed(() => known.filter((word) => !words.value.includes(word)).slice(0, 200))

function commit(text = typed.value): void {
  typed.value = ''
  if (!text.trim()) return
  const read = readWords(words.value, text, spaced)
  message.value = sayRead(read)
  change(read.words, read.added.length > 1)
}

function change(next: string[], canUndo: boolean): void {
  before.value = canUndo ? words.value : null
  words.value = next
}

function remove(word: string): void {
  message.value = `Removed ${word}.`
  change(words.value.filter((other) => other !== word), true)
  input.value?.focus()
}

function undo(): void {
  if (before.value) words.value = before.value
  before.value = null
  message.value = ''
  input.value?.focus()
}

function onKey(event: KeyboardEvent): void {
  if (event.isComposing) return
  if (event.key === 'Enter' && typed.value.trim()) {
    event.preventDefault() // Enter in an empty field sends the form
    commit()
  } else if (event.key === 'Backspace' && !typed.value && words.value.length) {
    event.preventDefault()
    remove(words.value[words.value.length - 1]!)
  }
}

function onInput(): void {
  if (endsWord(typed.value, spaced)) commit()
}

function onPaste(event: ClipboardEvent): void {
  event.preventDefault()
  commit(typed.value + (event.clipboardData?.getData('text') ?? ''))
}
</script>

<template>
  <span class="words" @click="input?.focus()">
    <span v-for="word in words" :key="word" class="word machine">{{ word }}<button type="button" :aria-label="`Remove ${word}`" @click.stop.prevent="remove(word)">×</button></span>
    <input
      ref="input" v-model="typed" :aria-label="name" :list="suggested.length ? listId : undefined" :placeholder="words.length ? '' : placeholder"
      autocapitalize="off" autocomplete="off" spellcheck="false" @keydown="onKey" @input="onInput" @paste="onPaste" @blur="commit()"
    >
    <datalist v-if="suggested.length" :id="listId"><option v-for="word in suggested" :key="word" :value="word" /></datalist>
    <span v-if="message" class="soft made" role="status">{{ message }} <button v-if="before" type="button" class="undo" @click.stop.prevent="undo">Undo</button></span>
  </span>
</template>

<style scoped>
.words {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
  min-height: 32px;
  padding: 3px 6px;
  background: var(--plate);
  border: 1px solid var(--fence);
  border-radius: 4px;
  cursor: text;
}

.words:focus-within {
  border-color: var(--ink);
  outline: 2px solid var(--yellow);
}

.word {
  display: inline-flex;
  align-items: center;
  padding-left: 6px;
  overflow-wrap: anywhere;
  color: var(--ink);
  border: 1px solid var(--fence);
  border-radius: 4px;
}

.word button {
  min-width: 24px;
  min-height: 24px;
  color: var(--ink-soft);
  background: none;
  border: 0;
  cursor: pointer;
}

.word button:hover,
.word button:focus-visible {
  color: var(--rust);
}

input {
  flex: 1 1 3em;
  min-width: 3em;
  color: var(--ink);
  background: none;
  border: 0;
  outline: 0;
}

.made {
  flex-basis: 100%;
  font-size: 12px;
}

.undo {
  min-height: 24px;
  padding: 0 6px;
  color: var(--ink);
  background: none;
  border: 1px solid var(--fence);
  cursor: pointer;
}
</style>
