// @vitest-environment jsdom
import { Popconfirm } from 'ant-design-vue'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ calls: [] as unknown[], refuses: '', may: true }))
vi.mock('../../api/client', () => ({
  api: {
    POST: async (_: string, { params, body }: { params: { path: { name: string } }; body: unknown }) => {
      if (server.refuses) throw new Error(server.refuses)
      server.calls.push([params.path.name, body])
    },
  },
  answered: (answer: unknown) => answer,
}))
vi.mock('../people/session', () => ({ useSession: () => ({ may: () => server.may }) }))

import { mounted, settled } from '../../testing/mounted'
import HostServices from './HostServices.vue'

const WATCH = { running: 'running', sentence: 'Started by systemd.', uptime: 7200, at: '2026-11-28T10:00:00Z', is_silent: false }
const service = (change: Record<string, unknown> = {}) => ({ name: 'flash-proxy', running: 'running', since: '2026-11-28T10:00:00Z', detail: '', tried: {}, ...change })
const services = (change: Record<string, unknown> = {}) => mounted(HostServices, { props: { host: { name: 'knot-01', paddock: 'shoreline', link: 'connected', watch: WATCH, watched: [service()], ...change } as never } })
const press = async (text: string) => {
  ;[...document.querySelectorAll('button')].filter((one) => one.textContent === text).at(-1)!.click()
  await settled()
}

describe('the services of a host', () => {
  beforeEach(() => Object.assign(server, { calls: [], refuses: '', may: true }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it('shows the agent as its watch sees it, and marks a watch that is silent', () => {
    expect(services().text()).toContain('running · Started by systemd. Machine up for 2 h')
    expect(services().text()).not.toContain('silent')
    expect(services({ watch: { ...WATCH, is_silent: true } }).text()).toContain('silent')
    expect(services({ watch: null }).text()).toContain('No watch on this host: paddock-agent watch install')
  })

  it('asks before it stops a service that jobs may need', async () => {
    const asking = services().getComponent(Popconfirm)
    await press('Stop…')
    expect(server.calls).toEqual([])
    expect(asking.props('title')).toContain('Jobs that ask for it run elsewhere until it is started.')
    asking.vm.$emit('confirm')
    await settled()
    expect(server.calls).toEqual([['knot-01', { name: 'flash-proxy', verb: 'stop' }]])
  })

  it('starts one at once, but none that is missing', async () => {
    services({ watched: [service({ running: 'stopped' })] })
    await press('Start')
    expect(server.calls).toEqual([['knot-01', { name: 'flash-proxy', verb: 'start' }]])
    document.body.innerHTML = ''
    expect(services({ watched: [service({ running: 'missing' })] }).get('button').attributes('disabled')).toBeDefined()
  })

  it('says why the last try failed, with the commands that allow it', () => {
    const page = services({ watched: [service({ running: 'stopped', tried: { verb: 'start', why: 'Access denied.', remedy: ['visudo -f /etc/sudoers.d/paddock'] } })] })
    expect(page.text()).toContain('Could not start it: Access denied.')
    expect(page.text()).toContain('visudo -f /etc/sudoers.d/paddock')
  })

  it('says what the server answered', async () => {
    server.refuses = 'knot-01 is not connected.'
    const page = services({ watched: [service({ running: 'stopped' })] })
    await press('Start')
    expect(page.get('[role=alert]').text()).toBe('knot-01 is not connected.')
  })

  it.each([[{}, false], [{ link: 'lost' }, true]])('has no buttons for who may not, or where the agent is away', (change, may) => {
    server.may = may
    expect(services(change).findAll('button')).toHaveLength(0)
  })
})
