// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ jobs: [] as unknown[], retired: [] as unknown[], fails: '', went: [] as unknown[] }))
vi.mock('../../api/client', () => ({
  api: {
    GET: async (path: string) => {
      if (server.fails) throw new Error(server.fails)
      return { results: path.includes('jobs') ? server.jobs : server.retired }
    },
  },
  answered: (answer: unknown) => answer,
}))
vi.mock('vue-router', () => ({ useRouter: () => ({ push: async (to: unknown) => void server.went.push(to) }) }))
vi.mock('../yard/yard', () => ({ useYard: () => ({ plates: [{ name: 'knot-01', os: 'linux', paddock: 'shoreline' }, { name: 'Knot-02', os: 'windows', paddock: 'annex' }] }) }))

import { mounted, settled } from '../../testing/mounted'
import FindField from './FindField.vue'

async function finding(text: string) {
  const page = mounted(FindField)
  await page.get('input').trigger('focus')
  await page.get('input').setValue(text)
  await settled()
  return page
}
const found = (page: Awaited<ReturnType<typeof finding>>) => page.findAll('[role=option]').map((one) => one.text())

describe('the field that finds', () => {
  beforeEach(() => Object.assign(server, { jobs: [{ id: 14, name: 'soak', pipeline: 'knot-tests', state: 'passed' }], retired: [], fails: '', went: [] }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it('finds hosts by a part of their name in any case, and jobs by their pipeline', async () => {
    expect(found(await finding(' KNOT '))).toEqual(['knot-01 Linux in shoreline', 'Knot-02 Windows in annex', 'soak job 14 of knot-tests, passed'])
  })

  it('finds a job by its number, and a retired host once', async () => {
    expect(found(await finding('14'))).toEqual(['soak job 14 of knot-tests, passed'])
    server.retired = [{ name: 'knot-01', paddock: 'shoreline' }, { name: 'knot-00', paddock: 'annex' }]
    expect(found(await finding('knot-0')).filter((text) => text.includes('retired'))).toEqual(['knot-00 retired from annex'])
  })

  it('goes where the arrows lead, not past the ends', async () => {
    const page = await finding('knot')
    const input = page.get('input')
    await input.trigger('keydown.up')
    for (let step = 0; step < 9; step += 1) await input.trigger('keydown.down')
    expect(page.get('[aria-selected=true]').text()).toContain('soak')
    await input.trigger('keydown.enter')
    expect(server.went).toEqual([{ name: 'board', params: { id: '14' } }])
    expect(page.find('[role=listbox]').exists()).toBe(false)
  })

  it('goes nowhere without a match, and says what was searched', async () => {
    const page = await finding('heron')
    expect(page.text()).toContain('No match among the hosts and the newest jobs.')
    await page.get('input').trigger('keydown.enter')
    expect(server.went).toEqual([])
  })

  it('does not say that nothing matches where it could not search', async () => {
    server.fails = 'No answer from the server.'
    const page = await finding('heron')
    expect(page.get('[role=alert]').text()).toBe('Jobs and retired hosts could not be searched: No answer from the server.')
    expect(page.text()).not.toContain('No match')
  })
})
