// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

class ProblemError extends Error {
  constructor(public problem: { errors?: { pointer: string; detail: string }[] }) {
    super('The kit has mistakes.')
  }
}
const server = vi.hoisted(() => ({ tried: [] as { terms: string[]; answer: (value: unknown) => void; fail: (error: unknown) => void }[], proposed: [] as unknown[], saved: [] as unknown[] }))
vi.mock('../../api/client', () => ({
  get ProblemError() {
    return ProblemError
  },
  api: {
    GET: async () => server.proposed,
    POST: (path: string, { body }: { body: { terms: string[] } }) =>
      path.endsWith('kits-tried/') ? new Promise((answer, fail) => server.tried.push({ terms: body.terms, answer, fail })) : Promise.resolve(void server.saved.push(['POST', body])),
    PUT: async (_: string, { params, body }: { params: { path: { name: string } }; body: unknown }) => void server.saved.push([params.path.name, body]),
  },
  answered: (answer: unknown) => answer,
}))

import { mounted, settled } from '../../testing/mounted'
import KitEditor from './KitEditor.vue'

const COLUMNS = { hosts: { name: ['knot-01'], paddock: ['shoreline'], labels: [['fast']] }, tools: [] }
const KIT = { name: 'firmware', purpose: '', terms: ['tool jdk 17..21'], paddocks: ['shoreline'], labels: [] }
const EFFECT = { standings: [{ host: 'knot-01', stands: 'in kit', lacking: [] }], put_out: [], put_in: [], stay_out: [] }

async function editor(kit: typeof KIT | null = KIT) {
  const page = mounted(KitEditor, { props: { kit: kit as never, columns: COLUMNS as never } })
  await later()
  return page
}
async function later() {
  vi.advanceTimersByTime(300)
  await settled()
}
const write = async (page: Awaited<ReturnType<typeof editor>>, text: string) => {
  await page.get('textarea').setValue(text)
  await later()
}
const save = (page: Awaited<ReturnType<typeof editor>>) => page.findAll('button').find((one) => one.text() === 'Save kit')!

describe('the editor of kits', () => {
  beforeEach(() => {
    vi.useFakeTimers()
    Object.assign(server, { tried: [], proposed: [], saved: [] })
  })
  afterEach(() => {
    vi.useRealTimers()
    document.body.innerHTML = ''
  })

  it('tries the terms before they are saved, without empty lines', async () => {
    const page = await editor()
    await write(page, ' os linux \n\n tool jdk 21+')
    expect(server.tried.map((one) => one.terms)).toEqual([['tool jdk 17..21'], ['os linux', 'tool jdk 21+']])
    server.tried[1]!.answer({ ...EFFECT, put_out: ['knot-01'] })
    await settled()
    expect(page.text()).toContain('1 host would no longer meet a kit: knot-01.')
  })

  it('shows the effect of the newest terms when answers cross', async () => {
    const page = await editor()
    await write(page, 'tool jdk 25+')
    server.tried[1]!.answer({ ...EFFECT, put_in: ['knot-01'] })
    server.tried[0]!.answer({ ...EFFECT, put_out: ['knot-01'] })
    await settled()
    expect(page.text()).toContain('1 host would meet it: knot-01.')
    expect(page.text()).not.toContain('no longer')
  })

  it('shows mistakes beside the term, and does not let them be saved', async () => {
    const page = await editor()
    await write(page, 'os linux\ntool jkd')
    server.tried[1]!.fail(new ProblemError({ errors: [{ pointer: '/terms/1', detail: 'Did you mean jdk?' }] }))
    await settled()
    expect(page.text()).toContain('tool jkd: Did you mean jdk?')
    expect(save(page).attributes('disabled')).toBeDefined()
  })

  it('needs a name and a term', async () => {
    const page = await editor(null)
    expect(page.get('h2').text()).toBe('New kit')
    expect(save(page).attributes('disabled')).toBeDefined()
    await write(page, 'os linux')
    expect(save(page).attributes('disabled')).toBeDefined()
    await page.get('input').setValue('firmware')
    expect(save(page).attributes('disabled')).toBeUndefined()
    await page.get('form').trigger('submit')
    await settled()
    expect(server.saved).toEqual([['POST', { name: 'firmware', purpose: '', terms: ['os linux'], paddocks: [], labels: [] }]])
    expect(page.emitted('saved')).toHaveLength(1)
  })

  it('renames a kit under its old name', async () => {
    const page = await editor()
    await page.get('input').setValue('gauge-firmware')
    await page.get('form').trigger('submit')
    await settled()
    expect(server.saved).toEqual([['firmware', { ...KIT, name: 'gauge-firmware' }]])
  })

  it('proposes what jobs asked for, or says that they asked for nothing', async () => {
    const page = await editor()
    const ask = () => page.findAll('button').find((one) => one.text().startsWith('Tools that jobs'))!.trigger('click')
    await ask()
    await settled()
    expect(page.get('[role=alert]').text()).toBe('No job of the last 30 days asked for a tool.')
    expect(page.get('textarea').element.value).toBe('tool jdk 17..21')
    server.proposed = [{ term: 'tool go 1.22+' }, { term: 'tool git' }]
    await ask()
    await settled()
    expect(page.get('textarea').element.value).toBe('tool go 1.22+\ntool git')
  })
})
