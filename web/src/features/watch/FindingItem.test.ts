// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ calls: [] as [string, unknown][], refuses: '', may: true }))
vi.mock('../../api/client', () => ({
  api: {
    POST: async (path: string, options: { body?: unknown }) => {
      server.calls.push([path.replace('/api/v1/findings/{id}/', ''), options.body ?? null])
      if (server.refuses) throw new Error(server.refuses)
    },
  },
  answered: (answer: unknown) => answer,
}))
vi.mock('../people/session', () => ({ useSession: () => ({ may: () => server.may }) }))

import { mounted, settled } from '../../testing/mounted'
import FindingItem from './FindingItem.vue'

const FINDING = {
  id: 3, code: 'disk-full', title: 'Disk full', severity: 'urgent', sentence: 'The disk has 300 MB free.', since: '2026-11-28T10:00:00Z', about: '', paddock: 'shoreline', hosts: ['knot-01'],
  evidence: [{ text: '/srv/work: 300 MB free.', at: 1795860000 }, { text: 'It holds logs.', at: 0 }], remedy: { sentence: 'Free some space.', commands: ['du -sh /srv/work'], action: '' },
  unknown: '', possible: [], aside: false, acknowledged_by: '', acknowledged_at: null, note: '', snoozed_until: null,
}
const item = (change: Record<string, unknown> = {}, props: Record<string, unknown> = {}) => mounted(FindingItem, { props: { finding: { ...FINDING, ...change } as never, ...props }, global: { stubs: { AskMachine: true } } })
const press = async (page: ReturnType<typeof item>, text: string) => {
  await page.findAll('button').find((one) => one.text() === text)!.trigger('click')
  await settled()
}
const words = (page: ReturnType<typeof item>) => page.findAll('button').map((one) => one.text())

describe('a finding', () => {
  beforeEach(() => Object.assign(server, { calls: [], refuses: '', may: true }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it('folds evidence and remedy until asked', async () => {
    const page = item()
    expect(page.text()).toContain('The disk has 300 MB free.')
    expect(page.text()).not.toContain('Free some space.')
    await press(page, 'Evidence and remedy')
    expect(page.text()).toContain('Free some space.')
    expect(page.findAll('.inside li').map((one) => one.text()).at(-1)).toBe('It holds logs.')
    expect(page.text()).toContain('du -sh /srv/work')
    await press(page, 'Less')
    expect(page.text()).not.toContain('Free some space.')
  })

  it('says what is unknown and which causes fit', () => {
    const page = item({ unknown: 'Who wrote it.', possible: [{ sentence: 'A log grows.', command: 'ls -S /var/log' }, { sentence: 'A core dump.', command: '' }] }, { open: true })
    expect(page.text()).toContain('Unknown. Who wrote it.')
    expect(page.findAll('[data-possible] li')).toHaveLength(2)
  })

  it('names three hosts and the number of the others', () => {
    expect(item({ hosts: ['a', 'b', 'c', 'd', 'e'] }).text()).toContain('a, b, c and 2 more:')
    expect(item({ hosts: [] }).text()).not.toContain('more:')
  })

  it.each([['restart agent', 'Restart the agent'], ['start service', 'Start the service'], ['request start', 'Let the watch start it'], ['hold', 'Hold the host']])('offers the action %s as “%s”, once', async (action, label) => {
    const page = item({ remedy: { ...FINDING.remedy, action } })
    await press(page, label)
    expect(server.calls).toEqual([['act/', null]])
    expect(page.get('[data-act]').attributes('disabled')).toBeDefined()
  })

  it('is acknowledged with a note', async () => {
    const page = item()
    await press(page, 'Acknowledge')
    await page.get('form input').setValue('new disk ordered')
    await page.get('form').trigger('submit')
    await settled()
    expect(server.calls).toEqual([['acknowledge/', { note: 'new disk ordered' }]])
    expect(page.find('form').exists()).toBe(false)
  })

  it('can be reopened while it is acknowledged or snoozed', async () => {
    const page = item({ aside: true, acknowledged_by: 'mia', acknowledged_at: '2026-11-28T11:00:00Z', note: 'disk ordered' })
    expect(page.text()).toContain('Acknowledged by mia: disk ordered')
    expect(words(page)).not.toContain('Acknowledge')
    await press(page, 'Reopen')
    expect(server.calls).toEqual([['reopen/', null]])
    expect(item({ aside: true, snoozed_until: '2026-11-29T11:00:00Z' }).text()).toContain('Snoozed until 29 Nov 2026')
  })

  it('shows why something was refused, and keeps the note', async () => {
    server.refuses = 'This finding has closed by itself.'
    const page = item()
    await press(page, 'Acknowledge')
    await page.get('form input').setValue('x')
    await page.get('form').trigger('submit')
    await settled()
    expect([page.get('[role=alert]').text(), (page.get('form input').element as HTMLInputElement).value]).toEqual(['This finding has closed by itself.', 'x'])
  })

  it('offers nothing to those who may only look', () => {
    server.may = false
    expect(words(item({ remedy: { ...FINDING.remedy, action: 'hold' } }))).toEqual(['Evidence and remedy'])
  })
})
