import { defineStore } from 'pinia'
import { ref, shallowRef } from 'vue'
import type { Columns } from './fleet-columns'
import { answered, api } from '../../api/client'
import { gathered, onNote } from '../../live/feed'

/** The fleet's tools as columns, kept up to date by the live feed once a screen has asked for them. */
export const useToolchains = defineStore('toolchains', () => {
  const columns = shallowRef<Columns | null>(null)
  const trouble = ref('')

  async function load(): Promise<void> {
    try {
      columns.value = await answered(api.GET('/api/v1/toolchains/'))
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  const loadSoon = gathered(load, 2000)
  onNote((note) => {
    if (columns.value && ['host', 'kit', 'catalogue', 'everything'].includes(note.noun)) loadSoon()
  })

  return { columns, trouble, load }
})
