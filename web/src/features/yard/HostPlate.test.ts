// @vitest-environment jsdom
import { RouterLinkStub } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { mounted } from '../../testing/mounted'
import HostPlate from './HostPlate.vue'
import SlotMarks from './SlotMarks.vue'

const PLATE = {
  name: 'knot-01', paddock: 'shoreline', os: 'linux', arch: 'x64', standing: 'admitted', link: 'connected', link_since: null, link_cause: '',
  labels: [], slots: 4, working: 1, holding: '', hold_reason: '', reserved: false, readiness: 'free', findings: 0, worst: '', trace: '0'.repeat(48),
}
const plate = (change: Record<string, unknown> = {}) => mounted(HostPlate, { props: { plate: { ...PLATE, ...change } as never } })

describe('a plate', () => {
  it('names the host and its system, and leads to its sheet', () => {
    const page = plate()
    expect(page.get('strong').text()).toBe('knot-01')
    expect(page.text()).toContain('Linux · x64')
    expect(page.getComponent(RouterLinkStub).props('to')).toEqual({ name: 'host', params: { name: 'knot-01' } })
  })

  it('leaves out a processor that is unknown', () => {
    expect(plate({ arch: '' }).text()).not.toContain('·')
  })

  it('has a corner and a count for readers of the screen only where findings are open', () => {
    expect(plate().find('.corner').exists()).toBe(false)
    const page = plate({ findings: 2 })
    expect([page.find('.corner').exists(), page.get('.for-screen-readers').text(), page.attributes('data-findings')]).toEqual([true, '2 findings', '2'])
  })

  it('says since when its link is as it is', () => {
    const since = new Date(Date.now() - 7200_000).toISOString()
    expect(plate({ link: 'lost', link_since: since, findings: 1 }).attributes('title')).toBe('knot-01: lost, since 2 h ago; 1 finding')
  })

  it.each([
    [{ link: 'lost' }, 'lost'],
    [{ link: 'stopped' }, 'stopped'],
    [{ holding: 'held' }, 'held'],
  ])('of %o has the word %s', (change, word) => {
    expect(plate(change).get('em').text()).toBe(word)
  })

  it('has no word while all is well', () => {
    expect(plate().find('em').exists()).toBe(false)
  })
})

describe('the slots of a plate', () => {
  const marks = (slots: number, working: number) => mounted(SlotMarks, { props: { slots, working } })

  it.each([
    [4, 1, 4, 1, ''],
    [1, 0, 1, 0, ''],
    [8, 8, 8, 8, ''],
    [9, 3, 8, 3, '+1'],
    [32, 20, 8, 8, '+24'],
    [0, 0, 0, 0, ''],
  ])('%d with %d working are %d marks, %d of them working, and %s', (slots, working, drawn, filled, rest) => {
    const page = marks(slots, working)
    expect([page.findAll('i').length, page.findAll('i.working').length, page.find('b').exists() ? page.get('b').text() : '']).toEqual([drawn, filled, rest])
    expect(page.attributes('aria-label')).toBe(`${working} of ${slots} slots working`)
  })
})
