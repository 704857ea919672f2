import { ref } from 'vue'

/** Does a piece of work that may fail, one at a time: whether it is under way, and what went wrong in words. */
export function useAction() {
  const isBusy = ref(false)
  const trouble = ref('')

  async function perform(work: () => Promise<unknown>): Promise<void> {
    isBusy.value = true
    trouble.value = ''
    try {
      await work()
    } catch (error) {
      trouble.value = (error as Error).message
    } finally {
      isBusy.value = false
    }
  }

  return { isBusy, trouble, perform }
}
