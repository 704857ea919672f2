import { onScopeDispose } from 'vue'

/** Calls the function of a key pressed outside of a text field, without Ctrl, Alt or Meta. */
export function onKeys(keys: Record<string, () => void>): void {
  function pressed(event: KeyboardEvent): void {
    const target = event.target as HTMLElement
    const isTyping = target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)
    if (isTyping || event.ctrlKey || event.altKey || event.metaKey) return
    const work = keys[event.key]
    if (work) {
      event.preventDefault()
      work()
    }
  }
  window.addEventListener('keydown', pressed)
  onScopeDispose(() => window.removeEventListener('keydown', pressed))
}
