import { reactive } from 'vue'

/** How this person reads times. An empty zone is the browser's own. */
interface ClockChoice {
  zone: string
  hours: '24' | '12'
}

const KEY = 'paddock-clock'
export const BROWSER_ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC'
export const clockChoice = reactive<ClockChoice>(stored())

export function chooseClock(choice: Partial<ClockChoice>): void {
  Object.assign(clockChoice, choice)
  localStorage.setItem(KEY, JSON.stringify(clockChoice))
}

function stored(): ClockChoice {
  try {
    const read = JSON.parse(localStorage.getItem(KEY) ?? '{}') as Partial<ClockChoice>
    return { zone: isZone(read.zone) ? read.zone : '', hours: read.hours === '12' ? '12' : '24' }
  } catch {
    return { zone: '', hours: '24' }
  }
}

function isZone(zone: unknown): zone is string {
  try {
    return typeof zone === 'string' && zone !== '' && Boolean(new Intl.DateTimeFormat('en-GB', { timeZone: zone }))
  } catch {
    return false
  }
}

/** The zone in which this person reads times. */
export const zoneName = (): string => clockChoice.zone || BROWSER_ZONE

/** Empty in the reader's own zone; else the chosen zone, to name it beside a time. */
const zoneSuffix = (): string => (zoneName() === BROWSER_ZONE ? '' : ` (${zoneName()})`)

function formatted(moment: string | number | Date, options: Intl.DateTimeFormatOptions): string {
  return new Intl.DateTimeFormat('en-GB', { timeZone: zoneName(), hour12: clockChoice.hours === '12', ...options }).format(new Date(moment))
}

const DAY: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', year: 'numeric' }
const TIME: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }

/** Date and time: 28 Nov 2026, 14:05:09. Another zone than the reader's own is named. */
export const exactly = (moment: string | number | Date): string => `${formatted(moment, DAY)}, ${formatted(moment, TIME)}${zoneSuffix()}`

/** The date: 28 Nov 2026. */
export const dayOf = (moment: string | number | Date): string => formatted(moment, DAY)

/** The date on a narrow axis: 28 Nov. */
export const shortDay = (moment: string | number | Date): string => formatted(moment, { day: 'numeric', month: 'short' })

/** The day of a week: Sat 28. */
export const weekday = (moment: string | number | Date): string => formatted(moment, { weekday: 'short', day: 'numeric' })

/** The time of day, to the second: 14:05:09. */
export const timeOfDay = (moment: string | number | Date): string => formatted(moment, TIME)

/** A label of a time axis: the day at midnight, else the time to the minute. */
export function tick(moment: number): string {
  return startOfDay(moment).getTime() === moment ? shortDay(moment) : formatted(moment, { hour: '2-digit', minute: '2-digit' })
}

/** Minutes by which the clock of the zone is ahead of UTC at a moment. */
function offsetMinutes(moment: number): number {
  const parts = new Intl.DateTimeFormat('en-GB', { timeZone: zoneName(), hourCycle: 'h23', year: 'numeric', month: 'numeric', day: 'numeric', hour: 'numeric', minute: 'numeric', second: 'numeric' }).formatToParts(moment)
  const part = (type: string) => Number(parts.find((one) => one.type === type)?.value)
  const wall = Date.UTC(part('year'), part('month') - 1, part('day'), part('hour'), part('minute'), part('second'))
  return Math.round((wall - Math.floor(moment / 1000) * 1000) / 60_000)
}

/** The moment at which the clock of the zone shows `wall`, as 2026-11-28T14:05. A time that a change of the clock skips
 * becomes the next that exists. */
export function momentAt(wall: string): Date {
  const asUtc = Date.parse(`${wall.length === 16 ? `${wall}:00` : wall}Z`)
  const first = asUtc - offsetMinutes(asUtc) * 60_000
  return new Date(asUtc - offsetMinutes(first) * 60_000)
}

/** Midnight, by the clock of the zone, of the day of a moment. */
export function startOfDay(moment: number): Date {
  const wall = new Date(moment + offsetMinutes(moment) * 60_000).toISOString()
  return momentAt(`${wall.slice(0, 10)}T00:00`)
}

