import type { Schemas } from '../../api/client'

type Span = Schemas['Span']

export interface Bar {
  x: number
  width: number
  state: string
  title: string
  to?: number
}

export interface Lane {
  name: string
  bars: Bar[]
  marks: { x: number; title: string }[]
}

const DAY = 86_400
/** So narrow, in parts of a thousand, that it would not be seen. */
const LEAST = 2

function bars(spans: (Span & { job?: number })[], start: number, end: number, title: (span: Span) => string): Bar[] {
  const scale = 1000 / (end - start)
  return spans.map((span) => ({
    x: (span.start - start) * scale,
    width: Math.max(LEAST, (span.end - span.start) * scale),
    state: span.state.replaceAll(' ', '-'),
    title: title(span),
    to: span.job,
  }))
}

/** The lanes of a host's week, on one axis of a thousand parts, in the order in which they explain each other. */
export function lanes(week: Schemas['Week'], when: (seconds: number) => string): Lane[] {
  const { start, end } = week
  const from = (span: Span, what: string) => `${what}, from ${when(span.start)} to ${when(span.end)}${span.detail ? `: ${span.detail}` : ''}`
  const title = (span: Span) => from(span, span.state)
  const found: Lane[] = [
    { name: 'Link', bars: bars(week.link, start, end, title), marks: [] },
    ...week.services.map((lane) => ({ name: lane.name || 'Service', bars: bars(lane.spans, start, end, title), marks: [] })),
    {
      name: 'Tools',
      bars: [],
      marks: week.tools.map((one) => ({ x: ((one.at - start) * 1000) / (end - start), title: `${one.detail}, since ${when(one.at)}` })),
    },
    { name: 'Jobs', bars: bars(week.jobs, start, end, (span) => from(span, `${span.detail} ${span.state}`)), marks: [] },
    { name: 'Findings', bars: bars(week.findings, start, end, (span) => from({ ...span, detail: '' }, `${span.state}: ${span.detail}`)), marks: [] },
  ]
  if (week.holds.length) found.splice(1, 0, { name: 'Held', bars: bars(week.holds, start, end, title), marks: [] })
  return found
}

/** Where the days begin, in parts of a thousand, with their names. */
export function days(start: number, end: number, named: (seconds: number) => string): { x: number; name: string }[] {
  const midnight = new Date(start * 1000)
  midnight.setHours(24, 0, 0, 0)
  const found = []
  for (let at = midnight.getTime() / 1000; at < end; at += DAY) {
    found.push({ x: ((at - start) * 1000) / (end - start), name: named(at) })
  }
  return found
}
