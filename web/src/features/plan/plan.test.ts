// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { begun, formOf, FORMS, inWords, missing } from './changes'
import { fullHours, headline, inWeeks, onAxis, percent, toKnow, waitTicks, type KindOfWork, type Outlook } from './plan'
import { money } from '../../kit/format'

const growth = { rate: 0.04, low: 0.035, high: 0.05, level: 100, weeks: [80, 90, 100], is_certain: true }

function outlook(result: object): Outlook {
  return { rehearsal: { name: 'Outlook of 30 Nov 2026: os macos, label mobile', result: { target: 900, growth, sizing: { like: 'russet-01', count: 0, curve: [], why: '' }, ...result } }, span: [], settings: {} } as unknown as Outlook
}

function kind(fields: Partial<KindOfWork>): KindOfWork {
  return { name: 'os macos', terms: [], pipelines: [], runs: 100, runs_per_week: 10, slot_hours_per_week: 5, lengths: [], median_wait: 0, high_wait: 0, hosts: ['a', 'b', 'c'], unreadable: '', thicken: '', arrivals: [], growth: null, ...fields }
}

describe('the first line of Plan', () => {
  it('says what grows, when the target breaks, and what would help', () => {
    const said = headline(outlook({ outgrown: { factor: 1.3, weeks: 6.7, soonest: 5.4, latest: 7.6 }, outgrown_with_one: { factor: 1.6, weeks: 12, soonest: 9, latest: 14 } }))
    expect(said).toEqual({ growth: 'The work of “os macos, label mobile” grows 4.0 % a week', breaks: 'The 15 min target breaks in about 7 weeks', between: '(5 to 8 weeks)', remedy: 'With one more host like russet-01 it breaks in 12 weeks.' })
  })
  it('claims nothing where nothing grows or breaks', () => {
    expect(headline(null)).toBe(null)
    expect(headline(outlook({ growth: null }))).toBe(null)
    expect(headline(outlook({ outgrown: null }))?.breaks).toBe('')
    expect(headline(outlook({ outgrown: { factor: 1, weeks: 0, soonest: 0, latest: 0 } }))?.breaks).toContain('is broken now')
    expect(headline(outlook({ outgrown: { factor: 2, weeks: 9, soonest: 8, latest: null } }))?.remedy).toBe('One more host like russet-01 keeps it.')
  })
})

describe('figures', () => {
  it.each([[0.1, '1 day'], [1, '7 days'], [3, '3 weeks'], [52, '12 months']])('writes %s weeks', (weeks, text) => expect(inWeeks(weeks)).toBe(text))
  it('writes money with the digits that matter, and nothing for nothing', () => {
    expect([money(1234.5, 'EUR'), money(0.614, ''), money(null, 'EUR')]).toEqual(['1,235 EUR', '0.61', '–'])
    expect([percent(0.714), percent(null)]).toEqual(['71 %', '–'])
  })
  it('puts waits on a logarithmic axis that ends with the longest', () => {
    expect([onAxis(0, 600), onAxis(600, 600), onAxis(-5, 600)]).toEqual([0, 1, 0])
    expect(onAxis(30, 600)).toBeGreaterThan(0.4)
    expect(waitTicks(600)).toEqual([0, 5, 30, 120, 600])
  })
  it('says when slots are full, over working days', () => {
    const day = Array.from({ length: 24 }, (_, hour) => (hour >= 10 && hour < 15 ? 0.95 : 0.2))
    expect(fullHours([day, day, day, day, day, day, day])).toBe('full on working days between 10:00 and 15:00')
    expect(fullHours([Array(24).fill(null)])).toBe('')
  })
})

describe('what to know of a kind of work', () => {
  it('names thin cover, long waits and growth', () => {
    expect(toKnow(kind({}), 900)).toEqual([])
    expect(toKnow(kind({ hosts: ['curlew-02'] }), 900)).toEqual(['curlew-02 alone'])
    expect(toKnow(kind({ hosts: [] }), 900)).toEqual(['no host fits now'])
    expect(toKnow(kind({ hosts: ['a', 'b'], high_wait: 1000, growth }), 900)).toEqual(['one left if a or b fails', 'waits over 15 min', 'grows 4 % a week'])
    expect(toKnow(kind({ growth: { ...growth, is_certain: false } }), 900)).toEqual([])
    expect(toKnow(kind({ unreadable: 'column 1: what?' }), 900)).toEqual(['column 1: what?'])
  })
})

describe('changes', () => {
  it('asks for what each needs, and says each in words', () => {
    for (const form of FORMS) {
      const change = begun(form)
      expect(missing(form, change)).not.toBe('')
      for (const field of form.fields) if (change[field.name] === '' || (Array.isArray(change[field.name]) && !field.optional)) change[field.name] = Array.isArray(change[field.name]) ? ['x'] : 'x'
      expect(missing(form, change)).toBe('')
      expect(inWords(change)).toContain(form.title)
    }
    expect(inWords({ kind: 'add hosts', like: 'russet-01', count: 1 })).toBe('Add hosts like one: russet-01, 1')
    expect(formOf('nothing known').kind).toBe('add hosts')
  })
})
