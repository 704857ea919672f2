import { computed, ref } from 'vue'
import { answered, api, type Schemas } from './client'
import { gathered, onNote } from './feed'

export type Job = Schemas['Job']
export type Group = 'waiting' | 'live' | 'ended'

const PAGE = 200

/** The jobs of one group of the board, kept up to date by the live feed. */
export function useJobs() {
  const group = ref<Group>('waiting')
  const jobs = ref<Job[]>([])
  const counts = ref<Record<Group, number>>({ waiting: 0, live: 0, ended: 0 })
  const trouble = ref('')
  const isLoaded = ref(false)

  async function load(): Promise<void> {
    const groups: Group[] = ['waiting', 'live', 'ended']
    try {
      const answers = await Promise.all(
        groups.map((state) =>
          answered(api.GET('/api/v1/jobs/', { params: { query: { state, page_size: state === group.value ? PAGE : 1 } } })),
        ),
      )
      groups.forEach((state, at) => (counts.value[state] = answers[at]?.count ?? 0))
      jobs.value = answers[groups.indexOf(group.value)]?.results ?? []
      trouble.value = ''
      isLoaded.value = true
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  async function show(next: Group): Promise<void> {
    group.value = next
    jobs.value = []
    await load()
  }

  /** Waiting jobs by what they wait for; the others in one lot. */
  const lots = computed(() => {
    const byReason = new Map<string, Job[]>()
    for (const job of jobs.value) {
      const title = job.state === 'waiting' ? job.reason_kind || 'about to be offered' : ''
      byReason.set(title, [...(byReason.get(title) ?? []), job])
    }
    return [...byReason].map(([title, members]) => ({ title, members }))
  })

  const loadSoon = gathered(load)
  onNote((note) => {
    if (note.noun === 'job' || note.noun === 'everything') loadSoon()
  })

  return { group, jobs, lots, counts, trouble, isLoaded, load, show }
}
