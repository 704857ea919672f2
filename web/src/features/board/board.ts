import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'

export type Job = Schemas['Job']
export type Group = 'waiting' | 'live' | 'ended'
export type Help = Schemas['Help']

const PAGE = 200

/** What waits, by reason, and what would help; and the jobs that run or have ended. Kept up to date by the live feed. */
export function useBoard() {
  const group = ref<Group>('waiting')
  const board = ref<Schemas['Board'] | null>(null)
  const jobs = ref<Job[]>([])
  const trouble = ref('')

  async function load(): Promise<void> {
    const wanted = group.value
    try {
      const [found, listed] = await Promise.all([
        answered(api.GET('/api/v1/board/')),
        wanted === 'waiting' ? null : answered(api.GET('/api/v1/jobs/', { params: { query: { state: wanted, page_size: PAGE } } })),
      ])
      board.value = found
      if (wanted === group.value) jobs.value = listed?.results ?? []
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  async function show(next: Group): Promise<void> {
    group.value = next
    jobs.value = []
    await load()
  }

  const counts = computed<Record<Group, number>>(() => ({ waiting: board.value?.waiting ?? 0, live: board.value?.live ?? 0, ended: board.value?.ended ?? 0 }))

  /** Waiting jobs by what they wait for: those that ask for the same together. */
  const lots = computed(() => {
    const byKind = new Map<string, Schemas['WaitingGroup'][]>()
    for (const one of board.value?.groups ?? []) byKind.set(one.kind, [...(byKind.get(one.kind) ?? []), one])
    return [...byKind].map(([kind, groups]) => ({ kind, groups, count: groups.reduce((sum, one) => sum + one.count, 0) }))
  })

  /** The job to show when none is chosen. */
  const first = computed(() => (group.value === 'waiting' ? board.value?.groups[0]?.jobs[0]?.id : jobs.value[0]?.id))

  const loadSoon = gathered(load)
  onNote((note) => {
    if (note.noun === 'job' || note.noun === 'host' || note.noun === 'everything') loadSoon()
  })

  return { group, board, jobs, lots, counts, first, trouble, load, show }
}

/** Carries out a remedy for some jobs. */
export async function applyRemedy(one: Help, jobs: number[], forGood = true): Promise<void> {
  const { kind, place, what, instead } = one
  await answered(api.POST('/api/v1/remedies/', { body: { kind, place, what, instead, jobs, for_good: forGood } }))
}
