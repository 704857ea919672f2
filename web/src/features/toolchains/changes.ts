import type { Schemas } from '../../api/client'
import { duration } from '../../kit/format'

type Properties = Schemas['Properties'] | null

/** What is known of a thing, in a word. */
export function propertiesText(one: Properties): string {
  if (one === null) return 'not there'
  if (one.why) return `broken: ${one.why}`
  return one.version ?? (one.value || 'there')
}

/** A change as a sentence without its subject's host. */
export function changeText(one: Schemas['Change']): string {
  const thing = one.kind === 'tool' ? one.name : `${one.kind} ${one.name}`
  const place = one.place ? ` at ${one.place}` : ''
  switch (one.what) {
    case 'came':
      return `${thing} ${one.after?.version ?? one.after?.why ?? one.after?.value ?? ''} was installed${place}`.replace(/ {2,}/g, ' ')
    case 'went':
      return `${thing} ${one.before?.version ?? one.before?.value ?? ''} was removed${place}`.replace(/ {2,}/g, ' ')
    case 'broke':
      return `${thing} broke${place}: ${one.after?.why ?? ''}`
    case 'mended':
      return `${thing} works again${place}: ${one.after?.version ?? ''}`
    default:
      return `${thing}: ${differing(one.before, one.after)}${place}`
  }
}

function differing(before: Properties, after: Properties): string {
  const keys = ['version', 'value', 'home', 'plain', 'why'] as const
  const parts = keys.filter((key) => before?.[key] !== after?.[key]).map((key) => {
    if (key === 'plain') return after?.plain ? 'now answers the plain command' : 'no longer answers the plain command'
    return `${before?.[key] || 'nothing'} → ${after?.[key] || 'nothing'}`
  })
  return parts.join(', ')
}

/** How exactly it is known when it happened: between two surveys. */
export function changedBetween(one: Schemas['Change']): string {
  if (!one.not_before) return ''
  const seconds = (Date.parse(one.at) - Date.parse(one.not_before)) / 1000
  return seconds > 3600 ? `, within ${duration(seconds)} before` : ''
}
