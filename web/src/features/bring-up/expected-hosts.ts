import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { allRows, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'

export type Coming = Schemas['BringUpLine']

/** Phases in which a bring-up needs a person. */
const STUCK = new Set<Coming['phase']>(['failed', 'cut off'])

/** The machines that are coming in, kept up to date by the live feed. */
export const useComing = defineStore('coming', () => {
  const sheets = ref<Coming[]>([])
  const trouble = ref('')
  const stuck = computed(() => sheets.value.filter((sheet) => STUCK.has(sheet.phase)))

  async function load(): Promise<void> {
    try {
      sheets.value = await allRows((query) => api.GET('/api/v1/bring-ups/', { params: { query } }))
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  /** Those of a paddock that are not there yet: their plates stand empty in the yard. */
  function expectedIn(paddock: string): Coming[] {
    return sheets.value.filter((sheet) => sheet.paddock === paddock && !sheet.host)
  }

  // Thousands may be expected, and every host that calls changes something: once in a while is soon enough.
  const loadSoon = gathered(load, 700)
  onNote((note) => {
    if (note.noun === 'bring-up' || note.noun === 'host' || note.noun === 'everything') loadSoon()
  })

  return { sheets, stuck, trouble, load, expectedIn }
})
