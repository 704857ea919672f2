import { onScopeDispose, ref, type Ref } from 'vue'

/** The present time in milliseconds, updated every few seconds while the page is visible. */
export function useNow(every = 5000): Ref<number> {
  const now = ref(Date.now())
  const timer = setInterval(() => (now.value = Date.now()), every)
  onScopeDispose(() => clearInterval(timer))
  return now
}
