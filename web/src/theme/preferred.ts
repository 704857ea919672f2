import { ref, type Ref } from 'vue'

/** Whether the system is set to dark, kept up to date. */
export function usePreferredDark(): Ref<boolean> {
  const query = window.matchMedia('(prefers-color-scheme: dark)')
  const isDark = ref(query.matches)
  query.addEventListener('change', (event) => (isDark.value = event.matches))
  return isDark
}
