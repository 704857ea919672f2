/** Sizes, times and names in the words that people use. */

const SYSTEMS: Record<string, string> = { linux: 'Linux', macos: 'macOS', windows: 'Windows' }

export function systemName(os: string): string {
  return SYSTEMS[os] ?? os
}

export function count(number: number, noun: string, many = `${noun}s`): string {
  return `${number} ${number === 1 ? noun : many}`
}

/** Seconds as 12 s, 4 min, 2 h 5 min, 3 days. */
export function duration(seconds: number): string {
  if (seconds > 0 && seconds < 9.95 && !Number.isInteger(seconds)) return `${seconds.toFixed(1)} s`
  const whole = Math.max(0, Math.round(seconds))
  if (whole < 60) return `${whole} s`
  const minutes = Math.round(whole / 60)
  if (minutes < 60) return `${minutes} min`
  const hours = Math.floor(minutes / 60)
  if (hours < 48) return minutes % 60 ? `${hours} h ${minutes % 60} min` : `${hours} h`
  return `${Math.round(hours / 24)} days`
}

/** How long ago a moment was, as "4 min ago". */
export function ago(moment: string, now: number): string {
  const seconds = (now - Date.parse(moment)) / 1000
  return seconds < 5 ? 'just now' : `${duration(Math.max(10, seconds))} ago`
}

/** A share as 99.95 %; never rounded up to the whole. */
export function share(part: number): string {
  if (part >= 1) return '100 %'
  const percent = Math.floor(part * 10_000) / 100
  return `${percent >= 99 ? percent.toFixed(2) : percent.toFixed(1)} %`
}

/** Minutes after midnight as 06:30, and back; null for an invalid time. */
export function clockTime(minutes: number): string {
  return `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`
}

export function minutesOf(time: string): number | null {
  const found = /^(\d{1,2}):(\d{2})$/.exec(time.trim())
  const minutes = found ? Number(found[1]) * 60 + Number(found[2]) : NaN
  return minutes < 24 * 60 && Number(found?.[2]) < 60 ? minutes : null
}

/** A time in days, with a tenth below ten: 9.3 days. */
export function inDays(seconds: number): string {
  const days = seconds / 86_400
  return days < 20 ? `${days.toFixed(1)} days` : `${Math.round(days)} days`
}

/** What a machine asked for at joining beyond what its pass gives, as "the label bench-rig and 8 slots"; empty for nothing. */
export function asked(host: { asked_labels: readonly string[]; asked_slots: number }): string {
  const labels = host.asked_labels.length ? [`the ${host.asked_labels.length === 1 ? 'label' : 'labels'} ${host.asked_labels.join(', ')}`] : []
  return [...labels, ...(host.asked_slots ? [count(host.asked_slots, 'slot')] : [])].join(' and ')
}

/** Money without needless digits, with its currency as it was entered. */
export function money(amount: number | null | undefined, currency: string): string {
  if (amount === null || amount === undefined) return '–'
  const digits = Math.abs(amount) >= 100 ? 0 : 2
  return `${amount.toLocaleString('en-GB', { minimumFractionDigits: digits, maximumFractionDigits: digits })} ${currency}`.trim()
}

/** Hours as minutes, hours or days, without needless digits. */
export function hours(amount: number): string {
  if (amount >= 100) return `${Math.round(amount / 24)} days`
  if (amount < 0.95) return `${Math.round(amount * 60)} min`
  return amount >= 10 ? `${Math.round(amount)} h` : `${amount.toFixed(1)} h`
}
