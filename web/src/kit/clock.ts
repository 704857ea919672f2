import { onScopeDispose, ref, type Ref } from 'vue'

/** The present time in milliseconds, renewed every few seconds while somebody looks. */
export function useNow(every = 5000): Ref<number> {
  const now = ref(Date.now())
  const timer = setInterval(() => (now.value = Date.now()), every)
  onScopeDispose(() => clearInterval(timer))
  return now
}
