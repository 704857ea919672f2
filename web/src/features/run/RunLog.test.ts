// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ total: 0, over: true, found: { lines: [] as number[], more: false } as unknown, asked: [] as number[], sections: [] as unknown[] }))

vi.mock('../../api/client', () => ({
  api: {
    GET: async (path: string, { params }: { params: { query: { first: number; count: number } } }) => {
      if (path.endsWith('/find/')) {
        if (server.found instanceof Error) throw server.found
        return server.found
      }
      const { first, count } = params.query
      server.asked.push(first)
      const lines = Array.from({ length: Math.max(0, Math.min(count, server.total - first + 1)) }, (_, n) => ({
        number: first + n, at: n ? null : '2026-11-28T10:00:00Z', step: 0, spans: [{ text: `line ${first + n}`, styles: n === 1 ? ['bold'] : [] }, { text: '<b>', styles: [] }],
      }))
      return { total: server.total, size: server.total * 10, is_over: server.over, sections: server.sections, lines }
    },
  },
  answered: (answer: unknown) => answer,
}))
vi.mock('../../live/feed', () => ({ gathered: (work: () => Promise<void>) => work, onNote: () => {} }))

import { mounted, settled } from '../../testing/mounted'
import RunLog from './RunLog.vue'

async function log(props: Record<string, unknown> = {}) {
  const page = mounted(RunLog, { props: { job: 7, attempt: 1, ...props } })
  await settled()
  return page
}
const numbers = (page: Awaited<ReturnType<typeof log>>) => page.findAll('[data-line]').map((one) => Number(one.attributes('data-line')))

describe('a log', () => {
  beforeEach(() => Object.assign(server, { total: 1200, over: true, found: { lines: [], more: false }, asked: [], sections: [] }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it('draws the lines in sight alone, of however many', async () => {
    server.total = 5_000_000
    const page = await log()
    expect(numbers(page)[0]).toBe(1)
    expect(numbers(page).length).toBeLessThan(60)
    expect(page.get('.run-log').attributes('data-lines')).toBe('5000000')
    expect(page.get('.bar .soft').text()).toBe('5000000 lines, 50 MB')
  })

  it('writes text as text, with its styles', async () => {
    const page = await log()
    expect(page.get('[data-line="1"] code').text()).toBe('line 1<b>')
    expect(page.find('[data-line="2"] code .bold').exists()).toBe(true)
  })

  it('says that it is live only while it is written', async () => {
    expect((await log()).get('.bar').text()).not.toContain('live')
    server.over = false
    expect((await log()).get('.bar').text()).toContain('live')
  })

  it.each([
    [true, {}, 'No output.'],
    [false, {}, 'No output yet.'],
    [true, { removedAt: '2026-11-20T10:00:00Z' }, 'Removed on 20 Nov 2026, after the retention time of the paddock.'],
  ])('without lines (over: %s, %o) says: %s', async (over, props, expected) => {
    Object.assign(server, { total: 0, over })
    const page = await log(props)
    expect(page.get('.nothing').text()).toBe(expected)
    expect(page.find('.find').exists()).toBe(!('removedAt' in props))
  })

  it('names the step at its first line', async () => {
    server.sections = [{ step: 0, line: 1 }, { step: 1, line: 3 }]
    const page = await log({ steps: [{ number: 0, name: 'configure' }, { number: 1, name: 'compile' }] })
    expect(page.findAll('.step').map((one) => one.text())).toEqual(['configure', 'compile'])
    expect(page.get('.here').text()).toBe('configure')
  })

  describe('finds', () => {
    async function finding(text: string) {
      const page = await log()
      await page.get('input').setValue(text)
      await page.get('form').trigger('submit')
      await settled()
      return page
    }

    it('the lines one after the other, and begins again after the last', async () => {
      server.found = { lines: [3, 900], more: false }
      const page = await finding('tide')
      const status = () => page.get('[data-found]').text()
      expect(status()).toBe('1 of 2 lines')
      await page.get('form').trigger('submit')
      await settled()
      expect(status()).toBe('2 of 2 lines')
      expect(server.asked).toContain(501)
      await page.get('form').trigger('submit')
      await settled()
      expect(status()).toBe('1 of 2 lines')
    })

    it('backwards', async () => {
      server.found = { lines: [3, 900], more: false }
      const page = await finding('tide')
      await page.findAll('button').find((one) => one.text() === 'Previous')!.trigger('click')
      await settled()
      expect(page.get('[data-found]').text()).toBe('2 of 2 lines')
    })

    it('and says where there is nothing, or more than it counts', async () => {
      expect((await finding('tide')).get('[data-found]').text()).toBe('not found')
      server.found = { lines: [1], more: true }
      expect((await finding('tide')).get('[data-found]').text()).toBe('1 of more than 1 line')
    })

    it('and shows why it could not', async () => {
      server.found = new Error('The log was removed.')
      const page = await finding('tide')
      expect(page.get('[role=alert]').text()).toBe('The log was removed.')
      server.found = { lines: [1], more: false }
      await page.get('form').trigger('submit')
      await settled()
      expect(page.find('[role=alert]').exists()).toBe(false)
    })
  })
})
