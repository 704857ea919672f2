import { describe, expect, it } from 'vitest'
import { ago, clockTime, duration, inDays, minutesOf, share } from './format'

describe('words for numbers', () => {
  it.each([
    [0.74, '0.7 s'],
    [9, '9 s'],
    [12.4, '12 s'],
    [240, '4 min'],
    [7500, '2 h 5 min'],
    [7200, '2 h'],
    [300000, '3 days'],
    [-3, '0 s'],
  ])('%d seconds are %s', (seconds, text) => expect(duration(seconds)).toBe(text))

  it('says how long ago a moment was', () => {
    const now = Date.parse('2026-11-23T12:00:00Z')
    expect(ago('2026-11-23T11:58:00Z', now)).toBe('2 min ago')
    expect(ago('2026-11-23T12:00:01Z', now)).toBe('just now')
  })

  it.each([
    [1, '100 %'],
    [0.99999, '99.99 %'],
    [0.9704, '97.0 %'],
    [0, '0.0 %'],
  ])('a share of %d is %s, never rounded up to the whole', (part, text) => expect(share(part)).toBe(text))

  it.each([
    ['06:30', 390],
    [' 23:59 ', 1439],
    ['24:00', null],
    ['7:60', null],
    ['noon', null],
  ])('the time %s is %s minutes after midnight', (text, minutes) => {
    expect(minutesOf(text)).toBe(minutes)
    if (minutes !== null) expect(minutesOf(clockTime(minutes))).toBe(minutes)
  })

  it('tells days with a tenth where that says something', () => {
    expect([inDays(9.26 * 86_400), inDays(187 * 86_400)]).toEqual(['9.3 days', '187 days'])
  })
})
