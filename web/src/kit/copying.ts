import { ref } from 'vue'

/** Copies a text, and says for a moment how that went: the word that stands on the button. */
export function useCopying() {
  const word = ref('Copy')

  async function copy(text: string): Promise<void> {
    try {
      await navigator.clipboard.writeText(text)
      word.value = 'Copied'
    } catch {
      word.value = 'Select it and copy by hand'
    }
    setTimeout(() => (word.value = 'Copy'), 2000)
  }

  return { word, copy }
}
