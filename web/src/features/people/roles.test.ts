import { describe, expect, it } from 'vitest'
import { browserName, isUnused, placeOf, roleIn, unusedDays, type HeldRole, type Role } from './roles'

const NOW = Date.parse('2031-05-04T12:00:00Z')
const held = (paddock: string, role: Role, more: Partial<HeldRole> = {}): HeldRole => ({ paddock, role, by_provider: '', ends_at: null, granted_by: '', granted_at: null, last_used_at: null, ...more })
const daysAgo = (days: number) => new Date(NOW - days * 86_400_000).toISOString()

describe('what a person may do in a place', () => {
  it.each([
    [[], 'shoreline', null],
    [[held('shoreline', 'operator')], 'shoreline', 'operator'],
    [[held('shoreline', 'operator')], 'annex', null],
    [[held('shoreline', 'operator')], '', null],
    [[held('', 'viewer')], 'annex', 'viewer'],
    [[held('', 'administrator'), held('annex', 'viewer')], 'annex', 'administrator'],
    [[held('annex', 'viewer'), held('annex', 'operator', { by_provider: 'Harbour ID' })], 'annex', 'operator'],
    [[held('annex', 'viewer'), held('annex', 'operator', { ends_at: daysAgo(-1) })], 'annex', 'operator'],
  ])('is the highest of the roles %#', (roles, paddock, role) => {
    expect(roleIn(placeOf(roles, paddock))).toBe(role)
  })

  it('tells roles given here from those of groups and those for everything', () => {
    const place = placeOf([held('', 'viewer'), held('annex', 'operator', { by_provider: 'Harbour ID' })], 'annex')
    expect([place.own, place.byGroup?.role, place.through]).toEqual([null, 'operator', 'viewer'])
  })
})

describe('a role that is not used', () => {
  it.each([
    [held('', 'operator', { last_used_at: daysAgo(89) }), 89, false],
    [held('', 'operator', { last_used_at: daysAgo(90) }), 90, true],
    [held('', 'operator', { granted_at: daysAgo(200) }), 200, true],
    [held('', 'operator', { granted_at: daysAgo(200), last_used_at: daysAgo(1) }), 1, false],
    [held('', 'viewer', { granted_at: daysAgo(200) }), null, false],
    [held('', 'administrator'), null, false],
  ])('counts from its last use, or from when it was given %#', (role, days, unused) => {
    expect([unusedDays(role, NOW), isUnused(role, NOW)]).toEqual([days, unused])
  })
})

describe('the name of a browser', () => {
  it.each([
    ['Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0', 'Firefox on Linux'],
    ['Mozilla/5.0 (Windows NT 10.0) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/150.0 Safari/537.36 Edg/150.0', 'Edge on Windows'],
    ['Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15) AppleWebKit/605 (KHTML, like Gecko) Version/19 Safari/605', 'Safari on macOS'],
    ['Mozilla/5.0 (iPhone; CPU iPhone OS 19_0 like Mac OS X) AppleWebKit/605 Safari/605', 'Safari on iOS'],
    ['Mozilla/5.0 (Linux; Android 17) AppleWebKit/537 Chrome/150 Mobile Safari/537', 'Chromium or Chrome on Android'],
    ['curl/8.5', 'curl/8.5'],
    ['', 'a browser'],
    ['x'.repeat(300), 'x'.repeat(60)],
  ])('%s', (agent, name) => {
    expect(browserName(agent)).toBe(name)
  })
})
