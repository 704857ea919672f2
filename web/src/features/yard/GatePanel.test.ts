// @vitest-environment jsdom
import { Popconfirm } from 'ant-design-vue'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ hosts: {} as Record<string, Record<string, unknown>>, calls: [] as unknown[], refused: {} as Record<string, string>, may: true }))
vi.mock('../../api/client', () => ({
  api: {
    GET: async (_: string, { params }: { params: { path: { name: string } } }) => {
      const host = server.hosts[params.path.name]
      if (!host) throw new Error('There is no such host.')
      return host
    },
    POST: async (path: string, { params, body }: { params: { path: object }; body: object }) => {
      server.calls.push([path.replace('/api/v1/', ''), Object.values(params.path).join(), body])
      return { refused: server.refused }
    },
  },
  answered: (answer: unknown) => answer,
}))
vi.mock('./yard', () => ({ useYard: () => ({ atTheGate: [...Object.keys(server.hosts), 'gone'].map((name) => ({ name, link: 'connected', link_since: '' })), load: async () => {} }) }))
vi.mock('../people/session', () => ({ useSession: () => ({ may: () => server.may }) }))

import { mounted, settled } from '../../testing/mounted'
import GatePanel from './GatePanel.vue'

function guest(name: string, change: Record<string, unknown> = {}) {
  server.hosts[name] = {
    name, paddock: 'annex', joined_at: '2026-11-28T10:00:00Z', joined_with: 'wharf', joined_by: 'harbourmaster', address: '10.20.0.9', link: 'connected', surveyed_at: '2026-11-28T10:00:00Z', installations: [{}, {}],
    suspicions: [], asked_labels: [], asked_slots: null, labels: [], slots: 2, facts: { os_name: 'Debian 12', arch: 'x64', cores: 8, memory: 2 ** 34, user: 'paddock' }, ...change,
  }
}
async function gate() {
  const page = mounted(GatePanel)
  await settled()
  return page
}
const press = async (text: string) => {
  const all = [...document.querySelectorAll('button')].filter((one) => one.textContent === text)
  all.at(-1)!.click()
  await settled()
}

describe('the gate', () => {
  beforeEach(() => Object.assign(server, { hosts: {}, calls: [], refused: {}, may: true }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it('shows who asks, with what, and leaves out who went away meanwhile', async () => {
    guest('knot-09')
    const page = await gate()
    expect(page.findAll('[data-gate]')).toHaveLength(1)
    expect(page.text()).toContain('Debian 12 · x64 · 8 cores · 16 GiB')
    expect(page.text()).toContain('2 installations found.')
  })

  it.each([['never seen', 'Its agent has not connected yet.'], ['lost', 'Its agent is lost now.']])('says that the agent of a guest is %s', async (link, text) => {
    guest('knot-09', { link })
    expect((await gate()).text()).toContain(text)
  })

  it('admits one', async () => {
    guest('knot-09')
    await gate()
    await press('Admit')
    expect(server.calls).toEqual([['hosts/{name}/admit/', 'knot-09', { as_asked: false }]])
  })

  it('offers to admit at once only those without anything odd', async () => {
    guest('knot-07')
    guest('knot-08')
    guest('knot-09', { suspicions: [{ sentence: 'Another host has its address.' }] })
    const page = await gate()
    expect(page.text()).toContain('2 agents without anything odd.')
    page.getComponent(Popconfirm).vm.$emit('confirm')
    await settled()
    expect(server.calls[0]).toEqual(['gate/{verb}/', 'admit', { names: ['knot-07', 'knot-08'] }])
  })

  it('says who was refused when several were admitted', async () => {
    guest('knot-07')
    guest('knot-08')
    server.refused = { 'knot-08': 'knot-08 is already admitted.' }
    const page = await gate()
    page.getComponent(Popconfirm).vm.$emit('confirm')
    await settled()
    expect(page.get('[role=alert]').text()).toBe('knot-08 is already admitted.')
  })

  it('turns away with the reason given', async () => {
    guest('knot-09')
    await gate()
    await press('Turn away…')
    const field = document.querySelector('.reason input') as HTMLInputElement
    field.value = 'not ours'
    field.dispatchEvent(new Event('input'))
    await press('Turn away')
    expect(server.calls).toEqual([['hosts/{name}/turn-away/', 'knot-09', { reason: 'not ours' }]])
  })

  it('has no buttons for who may not decide', async () => {
    guest('knot-09')
    server.may = false
    expect((await gate()).findAll('button')).toHaveLength(0)
  })
})
