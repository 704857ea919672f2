import { usePreferredDark } from './preferred'
import { defineStore } from 'pinia'
import { computed, ref, watchEffect } from 'vue'

type Wish = 'light' | 'dark' | 'system'
const KEY = 'paddock-theme'

/** Light or dark: as the person chose, else as the system is. */
export const useMode = defineStore('mode', () => {
  const stored = localStorage.getItem(KEY)
  const wish = ref<Wish>(stored === 'light' || stored === 'dark' ? stored : 'system')
  const systemIsDark = usePreferredDark()
  const isDark = computed(() => (wish.value === 'system' ? systemIsDark.value : wish.value === 'dark'))

  watchEffect(() => {
    document.documentElement.dataset.theme = isDark.value ? 'dark' : 'light'
  })

  function toggle(): void {
    wish.value = isDark.value ? 'light' : 'dark'
    localStorage.setItem(KEY, wish.value)
  }

  return { isDark, toggle }
})
