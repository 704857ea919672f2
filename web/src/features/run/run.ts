import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'

export type AttemptSheet = Schemas['AttemptSheet']
export type LogLine = Schemas['LogLine']

/** Lines that are fetched together. */
export const PAGE_LINES = 500
const MAX_PAGES = 40

/** A run: its job, and all that is known of one of its attempts. Kept up to date by the live feed. */
export function useRun(id: Ref<number>, wanted: Ref<number | null>) {
  const job = ref<Schemas['JobSheet'] | null>(null)
  const attempt = ref<AttemptSheet | null>(null)
  const trouble = ref('')

  async function load(): Promise<void> {
    const asked = id.value
    try {
      const answer = await answered(api.GET('/api/v1/jobs/{id}/', { params: { path: { id: asked } } }))
      const number = wanted.value ?? answer.attempts.at(-1)?.number
      const sheet = number ? await answered(api.GET('/api/v1/jobs/{id}/attempts/{number}/', { params: { path: { id: asked, number } } })) : null
      if (asked !== id.value) return
      job.value = answer
      attempt.value = sheet
      trouble.value = ''
    } catch (error) {
      if (asked === id.value) trouble.value = (error as Error).message
    }
  }

  const loadSoon = gathered(load)
  watch(
    [id, wanted],
    () => {
      if (job.value?.id !== id.value) job.value = attempt.value = null
      void load()
    },
    { immediate: true },
  )
  onNote((note) => {
    if (note.noun === 'everything' || (note.noun === 'job' && note.name === String(id.value))) loadSoon()
  })
  return { job, attempt, trouble, load }
}

/** The lines of a log, fetched only as they come into view. */
export function useLogLines(id: Ref<number>, number: Ref<number>) {
  const total = ref(0)
  const size = ref(0)
  const isOver = ref(false)
  const sections = ref<Schemas['LogSection'][]>([])
  const trouble = ref('')
  const pages = shallowRef(new Map<number, LogLine[]>())
  const asked = new Set<number>()

  function forget(): void {
    pages.value = new Map()
    total.value = size.value = 0
    sections.value = []
    isOver.value = false
    asked.clear()
  }

  async function fetchPage(page: number): Promise<void> {
    if (asked.has(page)) return
    asked.add(page)
    const of = `${id.value}-${number.value}`
    try {
      const path = { id: id.value, number: number.value }
      const answer = await answered(api.GET('/api/v1/jobs/{id}/attempts/{number}/lines/', { params: { path, query: { first: page * PAGE_LINES + 1, count: PAGE_LINES } } }))
      if (of !== `${id.value}-${number.value}`) return
      total.value = answer.total
      size.value = answer.size
      isOver.value = answer.is_over
      sections.value = answer.sections
      const kept = new Map(pages.value)
      kept.delete(page)
      kept.set(page, answer.lines)
      if (kept.size > MAX_PAGES) kept.delete(kept.keys().next().value as number)
      pages.value = kept
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    } finally {
      asked.delete(page)
    }
  }

  /** Fetches what is missing of these lines, which count from 1. A page that was not full may have grown. */
  function want(first: number, last: number): void {
    for (let page = Math.floor((first - 1) / PAGE_LINES); page <= Math.floor((last - 1) / PAGE_LINES); page += 1) {
      const have = pages.value.get(page)
      const full = Math.min(PAGE_LINES, total.value - page * PAGE_LINES)
      if (page >= 0 && (!have || have.length < full)) void fetchPage(page)
    }
  }

  /** What has come since: the page that holds the end. The last line may have grown too. */
  async function grow(): Promise<void> {
    await fetchPage(Math.max(0, Math.floor((total.value - 1) / PAGE_LINES)))
  }

  function line(at: number): LogLine | undefined {
    return pages.value.get(Math.floor((at - 1) / PAGE_LINES))?.[(at - 1) % PAGE_LINES]
  }

  const growSoon = gathered(grow, 100)
  watch([id, number], () => {
    forget()
    void fetchPage(0)
  }, { immediate: true })
  onNote((note) => {
    if (note.noun === 'everything' || ((note.noun === 'log' || note.noun === 'job') && note.name === String(id.value))) growSoon()
  })
  const isEmpty = computed(() => total.value === 0)
  return { total, size, isOver, isEmpty, sections, trouble, pages, want, line, fetchPage }
}
