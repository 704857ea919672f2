// @vitest-environment jsdom
import { describe, expect, it, vi } from 'vitest'

type Moments = typeof import('./moments')

/** The module loaded again, as a page does. */
async function loaded(stored?: string): Promise<Moments> {
  vi.resetModules()
  localStorage.clear()
  if (stored !== undefined) localStorage.setItem('paddock-clock', stored)
  return import('./moments')
}

describe('a moment', () => {
  const AT = '2026-07-28T13:05:09Z'

  it('reads in one style, without the zone in the reader’s own', async () => {
    const moments = await loaded(JSON.stringify({ zone: '', hours: '24' }))
    moments.chooseClock({ zone: moments.BROWSER_ZONE })
    expect(moments.exactly(AT)).not.toContain('(')
    expect(moments.dayOf(AT)).toBe('28 Jul 2026')
    expect(moments.shortDay(AT)).toBe('28 Jul')
    expect(moments.weekday(AT)).toBe('Tue 28')
  })

  it('names a zone that is not the reader’s', async () => {
    const moments = await loaded()
    moments.chooseClock({ zone: 'Asia/Tokyo' })
    expect(moments.exactly(AT)).toBe('28 Jul 2026, 22:05:09 (Asia/Tokyo)')
    expect(moments.timeOfDay(AT)).toBe('22:05:09')
  })

  it('has twelve hours where the person wants that, and stays so', async () => {
    const moments = await loaded()
    moments.chooseClock({ zone: 'Asia/Tokyo', hours: '12' })
    expect(moments.timeOfDay(AT)).toBe('10:05:09 pm')
    const again = await loaded(localStorage.getItem('paddock-clock') ?? '')
    expect(again.timeOfDay(AT)).toBe('10:05:09 pm')
  })

  it.each(['{', '{"zone": "Mars/Olympus"}', '{"zone": 5, "hours": "13"}', 'null'])('falls back where %s is stored', async (stored) => {
    const moments = await loaded(stored)
    expect([moments.clockChoice.zone, moments.clockChoice.hours]).toEqual(['', '24'])
  })
})

describe('a wall time', () => {
  it.each([
    ['2026-07-28T22:05', '2026-07-28T20:05:00.000Z', 'summer'],
    ['2026-12-28T22:05', '2026-12-28T21:05:00.000Z', 'winter'],
    ['2026-03-29T03:30', '2026-03-29T01:30:00.000Z', 'just after the clock went forward'],
    ['2026-10-25T04:00', '2026-10-25T03:00:00.000Z', 'just after the clock went back'],
  ])('%s in Berlin is %s (%s)', async (wall, utc) => {
    const moments = await loaded()
    moments.chooseClock({ zone: 'Europe/Berlin' })
    expect(moments.momentAt(wall).toISOString()).toBe(utc)
  })

  it('begins a day at the midnight of the zone', async () => {
    const moments = await loaded()
    moments.chooseClock({ zone: 'Asia/Tokyo' })
    expect(moments.startOfDay(Date.parse('2026-07-28T16:00:00Z')).toISOString()).toBe('2026-07-28T15:00:00.000Z')
    expect(moments.tick(Date.parse('2026-07-28T15:00:00Z'))).toBe('29 Jul')
    expect(moments.tick(Date.parse('2026-07-28T16:30:00Z'))).toBe('01:30')
  })
})
