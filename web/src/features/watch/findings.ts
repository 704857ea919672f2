import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'

export type Finding = Schemas['Finding']

/** The open findings, kept up to date by the live feed: the most urgent first, those put aside last. */
export const useFindings = defineStore('findings', () => {
  const findings = ref<Finding[]>([])
  const trouble = ref('')
  const pressing = computed(() => findings.value.filter((one) => !one.aside))
  const aside = computed(() => findings.value.filter((one) => one.aside))

  async function load(): Promise<void> {
    try {
      findings.value = (await answered(api.GET('/api/v1/findings/'))).findings
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  function of(host: string): Finding[] {
    return findings.value.filter((one) => one.hosts.includes(host))
  }

  const loadSoon = gathered(load)
  onNote((note) => {
    if (note.noun === 'finding' || note.noun === 'everything') loadSoon()
  })

  return { findings, pressing, aside, trouble, load, of }
})
