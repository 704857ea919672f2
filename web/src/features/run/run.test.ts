import { effectScope, nextTick, ref } from 'vue'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

/** A log of numbered lines on a server that is asked for pages. */
const server = vi.hoisted(() => ({ total: 0, asked: [] as number[], tell: (() => {}) as (note: { noun: string; name: string }) => void, hold: null as Promise<void> | null }))

vi.mock('../../api/client', () => ({
  api: {
    GET: async (_: string, { params }: { params: { query: { first: number; count: number } } }) => {
      const { first, count } = params.query
      server.asked.push(first)
      const total = server.total
      await server.hold
      const lines = Array.from({ length: Math.max(0, Math.min(count, total - first + 1)) }, (_, at) => ({ number: first + at, at: null, step: 0, spans: [{ text: `line ${first + at}`, styles: [] }] }))
      return { total, size: total * 10, is_over: false, sections: [], lines }
    },
  },
  answered: (answer: unknown) => answer,
}))

vi.mock('../../live/feed', () => ({
  gathered: (work: () => Promise<void>) => work,
  onNote: (listener: (note: { noun: string; name: string }) => void) => {
    server.tell = listener
  },
}))

import { useLogLines } from './run'

const settled = async () => {
  for (let at = 0; at < 20; at += 1) await nextTick()
}

describe('the lines of a log', () => {
  let scope = effectScope()
  beforeEach(() => {
    scope = effectScope()
    Object.assign(server, { total: 1200, asked: [], hold: null })
  })
  afterEach(() => scope.stop())

  function opened(job = ref(7), attempt = ref(1)) {
    return scope.run(() => useLogLines(job, attempt))!
  }

  it('are fetched by page, and only those in view', async () => {
    const log = opened()
    await settled()
    expect([log.total.value, log.line(1)?.spans[0]?.text, log.line(501)]).toEqual([1200, 'line 1', undefined])
    log.want(995, 1005)
    await settled()
    expect(server.asked).toEqual([1, 501, 1001])
    expect(log.line(1000)?.number).toBe(1000)
    log.want(10, 40)
    await settled()
    expect(server.asked).toHaveLength(3)
  })

  it('grow while they are looked at: the page with the end is asked for again', async () => {
    const log = opened()
    await settled()
    log.want(1190, 1200)
    await settled()
    server.total = 1210
    server.tell({ noun: 'log', name: '7' })
    await settled()
    expect([log.total.value, log.line(1210)?.spans[0]?.text]).toEqual([1210, 'line 1210'])
    const asked = server.asked.length
    server.tell({ noun: 'log', name: '8' })
    await settled()
    expect(server.asked).toHaveLength(asked)
  })

  it('of another run never mix with those of the one before, however late they come', async () => {
    let letGo = () => {}
    server.hold = new Promise((resolve) => (letGo = resolve))
    const job = ref(7)
    const log = opened(job)
    server.hold = null
    server.total = 3
    job.value = 8
    await settled()
    letGo()
    await settled()
    log.want(1, 3)
    await settled()
    expect(log.total.value).toBe(3)
    expect(log.line(4)).toBeUndefined()
  })

  it('are kept for a bounded number of pages', async () => {
    server.total = 60 * 500
    const log = opened()
    await settled()
    for (let page = 0; page < 60; page += 1) {
      log.want(page * 500 + 1, page * 500 + 2)
      await settled()
    }
    expect(log.pages.value.size).toBeLessThanOrEqual(40)
    expect(log.line(60 * 500)?.number).toBe(60 * 500)
  })
})
