import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'

export type Plate = Schemas['Plate']

/** The yard, kept up to date by the live feed. */
export const useYard = defineStore('yard', () => {
  const yard = ref<Schemas['Yard'] | null>(null)
  const trouble = ref('')
  const plates = computed(() => (yard.value?.paddocks ?? []).flatMap((paddock) => paddock.hosts))
  const atTheGate = computed(() => plates.value.filter((plate) => plate.standing === 'at the gate'))

  async function load(): Promise<void> {
    try {
      yard.value = await answered(api.GET('/api/v1/yard/'))
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  const loadSoon = gathered(load)
  onNote((note) => {
    if (!['log', 'pass', 'bring-up', 'guessing', 'notification rule'].includes(note.noun)) loadSoon()
  })

  return { yard, trouble, plates, atTheGate, load }
})
