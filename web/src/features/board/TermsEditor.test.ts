// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ fit: null as unknown, calls: [] as { terms: string[]; slots: number; pipeline: string }[], holds: [] as ((answer: unknown) => void)[], waits: false }))

vi.mock('../../api/client', () => {
  class ProblemError extends Error {
    constructor(readonly problem: { detail: string; errors?: { pointer: string; detail: string }[] }) {
      super(problem.detail)
    }
  }
  const words = { subjects: ['os', 'tool', 'label'], after: { os: [{ word: 'linux', hosts: 22 }, { word: 'macos', hosts: 9 }] }, versions: {} }
  return {
    ProblemError,
    api: {
      GET: async () => words,
      POST: async (_: string, { body }: { body: { terms: string[]; slots: number; pipeline: string } }) => {
        server.calls.push(body)
        if (server.waits) return new Promise((answer) => server.holds.push(answer))
        if (server.fit instanceof Error) throw server.fit
        return server.fit
      },
    },
    answered: (answer: unknown) => answer,
  }
})

import { ProblemError } from '../../api/client'
import { mounted, settled } from '../../testing/mounted'
import TermsEditor from './TermsEditor.vue'

const FIT = { fits: 3, all_hosts: 40, reason: 'knot-01 is next.', lines: [{ term: 'os linux', hosts: 22 }, { term: 'label x', hosts: 0 }] }

function editor(text: string, props: Record<string, unknown> = {}) {
  const page = mounted(TermsEditor, { props: { modelValue: text, 'onUpdate:modelValue': (value: string) => void page.setProps({ modelValue: value }), ...props } })
  return page
}

async function tried(): Promise<void> {
  await vi.advanceTimersByTimeAsync(250)
  await settled()
}

describe('the terms editor', () => {
  beforeEach(() => {
    vi.useFakeTimers()
    Object.assign(server, { fit: FIT, calls: [], holds: [], waits: false })
  })
  afterEach(() => {
    vi.useRealTimers()
    document.body.innerHTML = ''
  })

  it('tries the lines that have text, trimmed, with slots and pipeline', async () => {
    editor('  os linux \n\nlabel x\n', { slots: 2, pipeline: 'buoy-telemetry' })
    await tried()
    expect(server.calls).toEqual([{ terms: ['os linux', 'label x'], slots: 2, pipeline: 'buoy-telemetry', all: false }])
  })

  it('shows beside each line on how many hosts it holds, where the line stands', async () => {
    const page = editor('os linux\n\nlabel x')
    await tried()
    expect(page.findAll('.beside li').map((one) => one.text())).toEqual(['22 of 40', '', '0 of 40'])
    expect(page.findAll('.beside li.trouble')).toHaveLength(1)
    expect(page.get('.verdict').text()).toBe('3 of 40 hosts fit. knot-01 is next.')
  })

  it('counts one host as one', async () => {
    server.fit = { ...FIT, fits: 1, all_hosts: 1, lines: [] }
    const page = editor('os linux')
    await tried()
    expect(page.get('.verdict strong').text()).toBe('1 of 1 host fits.')
  })

  it('waits until typing pauses', async () => {
    const page = editor('os l')
    await vi.advanceTimersByTimeAsync(150)
    await page.setProps({ modelValue: 'os linux' })
    await vi.advanceTimersByTimeAsync(150)
    expect(server.calls).toEqual([])
    await tried()
    expect(server.calls.map((one) => one.terms)).toEqual([['os linux']])
  })

  it('names the line of a mistake as it stands in the text, empty lines counted', async () => {
    server.fit = new ProblemError({ detail: 'wrong', errors: [{ pointer: '/terms/1', detail: 'column 4: “linx” is unknown' }] } as never)
    const page = editor('os linux\n\nos linx')
    await tried()
    expect(page.get('p.trouble').text()).toBe('Line 3, column 4: “linx” is unknown')
    expect(page.findAll('.beside li').map((one) => one.text())).toEqual(['', '', '✕'])
  })

  it('shows a problem that belongs to no line whole', async () => {
    server.fit = new Error('The server does not answer.')
    const page = editor('os linux')
    await tried()
    expect(page.get('p.trouble').text()).toBe('The server does not answer.')
  })

  it('ignores an answer that a newer one has overtaken', async () => {
    server.waits = true
    const page = editor('os linux')
    await tried()
    await page.setProps({ modelValue: 'os macos' })
    await tried()
    const [slow, quick] = server.holds
    quick?.({ ...FIT, fits: 9 })
    await settled()
    slow?.({ ...FIT, fits: 1 })
    await settled()
    expect(page.get('.verdict').text()).toContain('9 of 40')
  })

  describe('completes', () => {
    async function typing(text: string) {
      const page = editor('')
      await settled()
      const area = page.get('textarea')
      await area.setValue(text)
      ;(area.element as HTMLTextAreaElement).setSelectionRange(text.length, text.length)
      await area.trigger('input')
      await settled()
      return { page, area }
    }
    const offered = (page: ReturnType<typeof editor>) => page.findAll('[role=option]').map((one) => one.get('code').text())

    it('the subject and then the words of the fleet', async () => {
      expect(offered((await typing('o')).page)).toEqual(['os'])
      expect(offered((await typing('os ')).page)).toEqual(['linux', 'macos'])
    })

    it('by Tab, with the choice of the arrow keys', async () => {
      const { page, area } = await typing('os ')
      await area.trigger('keydown', { key: 'ArrowDown' })
      await area.trigger('keydown', { key: 'Tab' })
      await settled()
      expect((area.element as HTMLTextAreaElement).value.trim()).toBe('os macos')
      expect(page.props('modelValue')).toContain('os macos')
    })

    it('round the ends of the list', async () => {
      const { page, area } = await typing('os ')
      await area.trigger('keydown', { key: 'ArrowUp' })
      expect(page.findAll('[role=option]').map((one) => one.attributes('aria-selected'))).toEqual(['false', 'true'])
    })

    it('no more after Escape', async () => {
      const { page, area } = await typing('os ')
      await area.trigger('keydown', { key: 'Escape' })
      expect(area.attributes('aria-expanded')).toBe('false')
      expect(offered(page)).toEqual([])
    })

    it('by a click', async () => {
      const { page, area } = await typing('os l')
      await page.get('[role=option]').trigger('mousedown')
      await settled()
      expect((area.element as HTMLTextAreaElement).value.trim()).toBe('os linux')
    })
  })
})
