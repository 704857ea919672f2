// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const FENCE = {
  name: 'shoreline', purpose: 'firmware', networks: ['10.20.0.0/16'], pipelines: ['tide-*'], admits_at_once: true, services: ['flash-proxy'], watch_may_start: true, grace: 90, lease: 150,
  ends_processes: false, warm_days: 3, chores_need_approval: true, rollouts_need_approval: true, follows_versions: true,
}
const server = vi.hoisted(() => ({ fences: [] as unknown[], fails: '', calls: [] as [string, unknown][] }))
vi.mock('../../api/client', () => ({
  api: {
    GET: async () => {
      if (server.fails) throw new Error(server.fails)
      return { results: server.fences }
    },
    PATCH: async (_: string, options: { params: { path: unknown }; body: unknown }) => void server.calls.push([JSON.stringify(options.params.path), options.body]),
    POST: async (path: string, options: { params: { path: unknown } }) => void server.calls.push([path, options.params.path]),
  },
  answered: (answer: unknown) => answer,
}))
vi.mock('./yard', () => ({ useYard: () => ({ load: async () => {} }) }))

import { mounted, settled } from '../../testing/mounted'
import FenceDrawer from './FenceDrawer.vue'

async function drawer() {
  const page = mounted(FenceDrawer, { props: { paddock: null } })
  await page.setProps({ paddock: 'shoreline' })
  await settled()
  return page
}
const save = () => [...document.querySelectorAll('button')].find((one) => one.textContent === 'Save') as HTMLButtonElement
const submit = async () => {
  document.querySelector('form')!.dispatchEvent(new Event('submit'))
  await settled()
}

describe('the fence of a paddock', () => {
  beforeEach(() => Object.assign(server, { fences: [FENCE], fails: '', calls: [] }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it('saves what it read where nothing was changed', async () => {
    await drawer()
    await submit()
    const { name, ...fields } = FENCE
    expect(server.calls).toEqual([[JSON.stringify({ name }), fields]])
  })

  it('closes once it is saved', async () => {
    const page = await drawer()
    await submit()
    expect(page.emitted('update:paddock')).toEqual([[null]])
  })

  it.each([
    ['the server does not answer', { fails: 'No answer from the server.' }, 'No answer from the server.'],
    ['the paddock is gone', { fences: [] }, 'The paddock shoreline no longer exists.'],
  ])('saves nothing over a fence that was not read: %s', async (_, change, message) => {
    Object.assign(server, change)
    await drawer()
    expect(document.querySelector('[role=alert]')?.textContent).toBe(message)
    expect(save().disabled).toBe(true)
  })

  it('resumes all hosts of the paddock', async () => {
    await drawer()
    ;[...document.querySelectorAll('button')].find((one) => one.textContent === 'Resume')!.click()
    await settled()
    expect(server.calls[0]![1]).toEqual({ name: 'shoreline', verb: 'resume' })
    expect(document.querySelector('[role=status]')?.textContent).toBe('They accept jobs again.')
  })
})
