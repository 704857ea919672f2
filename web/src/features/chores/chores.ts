import { ref } from 'vue'
import { allRows, answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'

export type ChoreRun = Schemas['ChoreRun']
export type ChoreRunSheet = Schemas['ChoreRunSheet']
export type ChoreHost = Schemas['ChoreHost']

/** The order of the host states: running first, then failures. */
export const STATES: ChoreHost['state'][] = ['running', 'surveying', 'draining', 'failed', 'ran but not there', 'could not reach', 'done', 'waiting', 'left out']

/** The chores that are kept, and the runs. Kept up to date by the live feed. */
export function useChores() {
  const kept = ref<Schemas['Chore'][]>([])
  const runs = ref<ChoreRun[]>([])
  const trouble = ref('')

  async function load(): Promise<void> {
    try {
      const [chores, listed] = await Promise.all([allRows((query) => api.GET('/api/v1/chores/', { params: { query } })), answered(api.GET('/api/v1/chore-runs/', { params: { query: { page_size: 50 } } }))])
      kept.value = chores
      runs.value = listed.results
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  const loadSoon = gathered(load)
  onNote((note) => {
    if (note.noun === 'chore' || note.noun === 'everything') loadSoon()
  })
  void load()
  return { kept, runs, trouble, load }
}

export async function startChore(id: number, hosts: string[], terms: string[]): Promise<ChoreRunSheet> {
  return answered(api.POST('/api/v1/chores/{id}/start/', { params: { path: { id } }, body: { hosts, terms } }))
}
