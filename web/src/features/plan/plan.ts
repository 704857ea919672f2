import { computed, ref, watch, type Ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { count, duration } from '../../kit/format'

export type Use = Schemas['PlanUse']
export type Kinds = Schemas['PlanKinds']
export type KindOfWork = Schemas['KindOfWork']
export type Rehearsal = Schemas['Rehearsal']
export type RehearsalSheet = Schemas['RehearsalSheet']
export type Result = Schemas['RehearsalResult']
export type Waits = Schemas['Waits']
export type Compared = Schemas['ComparedWaits']
export type Outlook = Schemas['Outlook']
export type Costs = Schemas['PlanCosts']

/** What Plan looks at: the weeks before a moment, in one paddock or all. */
export interface Stretch {
  since?: string
  until?: string
  paddock: string
  zone: string
}

export const ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC'
export const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']

/** Loads something for a stretch, again when the stretch changes; an answer that comes late is dropped. */
export function useFor<T>(stretch: Ref<Stretch>, load: (query: Stretch) => Promise<T>) {
  const shown = ref<T | null>(null) as Ref<T | null>
  const trouble = ref('')
  const isBusy = ref(false)
  let newest = 0
  async function again(): Promise<void> {
    const mine = ++newest
    isBusy.value = true
    try {
      const found = await load(stretch.value)
      if (mine !== newest) return
      shown.value = found
      trouble.value = ''
    } catch (error) {
      if (mine === newest) trouble.value = (error as Error).message
    } finally {
      if (mine === newest) isBusy.value = false
    }
  }
  watch(stretch, () => void again(), { immediate: true, deep: true })
  return { shown, trouble, isBusy, again }
}

/** The rehearsals of people, newest first, kept up to date by the live feed. */
export function useRehearsals() {
  const list = ref<Rehearsal[]>([])
  const trouble = ref('')
  async function load(): Promise<void> {
    try {
      list.value = (await answered(api.GET('/api/v1/rehearsals/', { params: { query: { page_size: 50 } } }))).results
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }
  const soon = gathered(load)
  onNote((note) => {
    if (['rehearsal', 'everything'].includes(note.noun)) soon()
  })
  void load()
  return { list, trouble, load }
}

/** One rehearsal with its result, kept up to date by the live feed. */
export function useRehearsal(id: Ref<number | undefined>) {
  const sheet = ref<RehearsalSheet | null>(null)
  const trouble = ref('')
  async function load(): Promise<void> {
    const mine = id.value
    if (!mine) {
      sheet.value = null
      return
    }
    try {
      const found = await answered(api.GET('/api/v1/rehearsals/{id}/', { params: { path: { id: mine } } }))
      if (mine === id.value) sheet.value = found
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }
  const soon = gathered(load)
  onNote((note) => {
    if (note.noun === 'rehearsal' || note.noun === 'everything') soon()
  })
  watch(id, () => void load(), { immediate: true })
  return { sheet, trouble, load }
}

/** A wait as the bound that it stays under. */
export const bound = (seconds: number): string => duration(Math.max(1, seconds))

export function percent(part: number | null | undefined): string {
  return part === null || part === undefined ? '–' : `${Math.round(part * 100)} %`
}

/** Weeks as people say them: "about 7 weeks", "3 days". */
export function inWeeks(weeks: number): string {
  if (weeks < 1.5) return count(Math.max(1, Math.round(weeks * 7)), 'day')
  return weeks < 26 ? `${Math.round(weeks)} weeks` : `${Math.round(weeks / 4.345)} months`
}

/** From the soonest to the latest, with the unit once where both have the same: "5 to 10 weeks". */
export function spread(soonest: number, latest: number | null): string {
  const first = inWeeks(soonest)
  if (latest === null) return `${first} at the soonest`
  const last = inWeeks(latest)
  const [number, unit] = first.split(' ')
  return first === last ? first : last.endsWith(unit ?? '') ? `${number} to ${last}` : `${first} to ${last}`
}

/** A date as 28 Nov 2026. */
export const day = (moment: string): string => new Date(moment).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' })

export interface Headline {
  /** What grows and how fast. */
  growth: string
  /** When the target breaks, "" where it does not. */
  breaks: string
  between: string
  /** What would help. */
  remedy: string
}

/** The answer to "do we need another machine, and when", out of the newest outlook. */
export function headline(outlook: Outlook | null): Headline | null {
  const rehearsal = outlook?.rehearsal
  const result = rehearsal?.result
  if (!rehearsal || !result?.growth) return null
  const kind = rehearsal.name.split(': ').slice(1).join(': ')
  const growth = `The work of “${kind}” grows ${(result.growth.rate * 100).toFixed(1)} % a week`
  const target = duration(result.target ?? 0)
  const breaks = result.outgrown
  if (!breaks) return { growth, breaks: '', between: `; its waits stay under ${target} even at four times the work.`, remedy: '' }
  const later = result.outgrown_with_one
  const like = result.sizing?.like ?? ''
  const remedy = !like ? '' : later ? `With one more host like ${like} it breaks in ${inWeeks(later.weeks)}.` : `One more host like ${like} keeps it.`
  if (breaks.weeks <= 0) return { growth, breaks: `The ${target} target is broken now`, between: '', remedy }
  return { growth, breaks: `The ${target} target breaks in about ${inWeeks(breaks.weeks)}`, between: `(${spread(breaks.soonest, breaks.latest)})`, remedy }
}

/** The days of a grid with the share of each hour; null for hours without any time. */
export type Grid = (number | null)[][]

/** From which share on an hour counts as full. */
export const FULL = 0.9

/** When slots are full, as "full Monday to Friday from 10:00 to 15:00"; "" where they never are. */
export function fullHours(grid: Grid): string {
  const hours = grid.slice(0, 5).flatMap((day) => day.flatMap((part, hour) => ((part ?? 0) >= FULL ? [hour] : [])))
  if (!hours.length) return ''
  const first = Math.min(...hours)
  const last = Math.max(...hours) + 1
  return `full on working days between ${first}:00 and ${last}:00`
}

/** What a person should know of a kind of work, most urgent first. */
export function toKnow(kind: KindOfWork, target: number): string[] {
  const found: string[] = []
  if (kind.unreadable) return [kind.unreadable]
  if (kind.hosts.length === 0) found.push('no host fits now')
  else if (kind.hosts.length === 1) found.push(`${kind.hosts[0]} alone`)
  else if (kind.hosts.length === 2) found.push(`one left if ${kind.hosts[0]} or ${kind.hosts[1]} fails`)
  if (kind.high_wait > target) found.push(`waits over ${duration(target)}`)
  if (kind.growth?.is_certain && Math.abs(kind.growth.rate) >= 0.01) found.push(`${kind.growth.rate > 0 ? 'grows' : 'shrinks'} ${Math.abs(kind.growth.rate * 100).toFixed(0)} % a week`)
  return found
}

/** A point of the waits' axis, in seconds, as a share of its width: logarithmic from one second to a week. */
export function onAxis(seconds: number, longest: number): number {
  const most = Math.log1p(Math.max(60, longest))
  return Math.min(1, Math.log1p(Math.max(0, seconds)) / most)
}

/** Ticks for that axis: those that fit under the longest wait. */
export function waitTicks(longest: number): number[] {
  return [0, 5, 30, 120, 600, 3600, 6 * 3600, 86_400, 7 * 86_400].filter((seconds) => seconds <= Math.max(60, longest))
}

/** A change as the API takes it. */
export type Change = Record<string, unknown> & { kind: string }

export function useStretch(weeks: Ref<number>, paddock: Ref<string>, last: Ref<string | undefined>, fixed: Ref<{ since: string; until: string } | null>): Ref<Stretch> {
  return computed(() => {
    if (fixed.value) return { ...fixed.value, paddock: paddock.value, zone: ZONE }
    const until = last.value ? new Date(last.value) : undefined
    return {
      ...(until ? { since: new Date(until.getTime() - weeks.value * 7 * 86_400_000).toISOString(), until: until.toISOString() } : {}),
      paddock: paddock.value,
      zone: ZONE,
    }
  })
}
