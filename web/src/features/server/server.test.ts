import { describe, expect, it } from 'vitest'
import { fullness, inMoments, inOrder, place, staying, type Rule } from './server'

const rule = (more: Partial<Rule>): Rule => ({ kind: 'jobs', days: 30, keep_last: 0, paddock: '', pipeline: '', ...more })

describe('rules of retention in words', () => {
  it.each([
    [{}, '30 days'],
    [{ days: 1 }, '1 day'],
    [{ days: 0, keep_last: 5 }, 'forever'],
    [{ days: 90, keep_last: 5 }, '90 days, and the last 5 of each job'],
  ])('says how long %o stays', (more, words) => expect(staying(rule(more))).toBe(words))

  it.each([
    [{}, 'everything'],
    [{ paddock: 'annex' }, 'paddock annex'],
    [{ pipeline: 'pilot' }, 'pipeline pilot'],
    [{ pipeline: 'pilot', paddock: 'annex' }, 'pipeline pilot in paddock annex'],
  ])('says what %o is for', (more, words) => expect(place(rule(more))).toBe(words))

  it('puts the kinds in one order, and the general rules first', () => {
    const given = [rule({ pipeline: 'b' }), rule({ kind: 'logbook' }), rule({ pipeline: 'a' }), rule({ paddock: 'z' }), rule({}), rule({ kind: 'logs and files' })]
    expect(inOrder(given).map((one) => `${one.kind} ${place(one)}`)).toEqual([
      'logs and files everything', 'jobs everything', 'jobs paddock z', 'jobs pipeline a', 'jobs pipeline b', 'logbook everything',
    ])
  })

  it('takes what a rule leaves out foreverything', () => expect(inOrder([{ kind: 'jobs', days: 3 }])).toEqual([rule({ days: 3 })]))
})

describe('a short time', () => {
  it.each([
    [0, '0 ms'],
    [0.0124, '12 ms'],
    [0.9994, '999 ms'],
    [0.9996, '1 s'],
    [1.44, '1.4 s'],
    [75, '1 min'],
  ])('is %d s as %s', (seconds, words) => expect(inMoments(seconds)).toBe(words))
})

describe('when the disk is full', () => {
  const now = Date.parse('2026-11-29T12:00:00Z')
  const day = (days: number): string => new Date(now + days * 86_400_000).toISOString()
  const growth = (at: number | null, soonest = at, latest = at) => ({
    samples: [], database_rate: null, logs_rate: null, outputs_rate: null,
    full_at: at === null ? null : day(at), full_soonest: soonest === null ? null : day(soonest), full_latest: latest === null ? null : day(latest),
  })
  it.each([
    [growth(null), '9 GB free, and no clear trend.'],
    [growth(23.4, 18.6, 30.2), '9 GB free, and full in about 23 days (18 to 31) at the present rate.'],
    [growth(800), '9 GB free, and not full for years at the present rate.'],
    [growth(-2), '9 GB free, and full within a day at the present rate.'],
  ])('says %o', (given, words) => expect(fullness(given, '9 GB', now)).toBe(words))
})
