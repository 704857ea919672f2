import { ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'

export type Versions = Schemas['Versions']
export type Rollout = Schemas['Rollout']
export type RolloutSheet = Schemas['RolloutSheet']
export type RolloutHost = Schemas['RolloutHost']
export type AskedRollout = Schemas['AskedRolloutRequest']

/** The order of the steps: hosts at work first, then those that need a person. */
export const STEPS: RolloutHost['step'][] = ['installing', 'draining', 'switched', 'went back', 'unreachable', 'waiting', 'proven', 'left out']
export const OPEN = ['waiting for approval', 'rolling', 'paused']

/** What the server holds, what the hosts run, and the rollouts. Kept up to date by the live feed. */
export function useVersions() {
  const shown = ref<Versions | null>(null)
  const rollouts = ref<Rollout[]>([])
  const trouble = ref('')

  async function load(): Promise<void> {
    try {
      const [versions, listed] = await Promise.all([answered(api.GET('/api/v1/versions/')), answered(api.GET('/api/v1/rollouts/', { params: { query: { page_size: 50 } } }))])
      shown.value = versions
      rollouts.value = listed.results
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  const loadSoon = gathered(load)
  onNote((note) => {
    if (['rollout', 'host', 'everything'].includes(note.noun)) loadSoon()
  })
  void load()
  return { shown, rollouts, trouble, load }
}

/** The waves of a rollout in order, each with its hosts. Hosts that were left out before it began are in none. */
export function wavesOf(sheet: RolloutSheet): { wave: number; name: string; hosts: RolloutHost[] }[] {
  const within = sheet.hosts.filter((one) => one.step !== 'left out' || one.begun_at !== null || one.wave > 0)
  const waves = [...new Set(within.map((one) => one.wave))].sort((a, b) => a - b)
  return waves.map((wave) => ({ wave, name: wave === 0 ? 'Canaries' : `Wave ${wave}`, hosts: within.filter((one) => one.wave === wave) }))
}

/** "02:30" as minutes after midnight; null for what is not a time. */
export function minutesOf(time: string): number | null {
  const found = /^([01]?\d|2[0-3]):([0-5]\d)$/.exec(time.trim())
  return found ? Number(found[1]) * 60 + Number(found[2]) : null
}

/** The sizes of waves as they are typed, with commas or spaces between them. */
export function wavesTyped(text: string): string[] {
  return text.split(/[\s,;]+/).filter(Boolean)
}
