// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ secrets: [] as unknown[], saved: [] as unknown[], deleted: [] as string[], refuses: '' }))
vi.mock('../../api/client', () => ({
  api: {
    GET: async () => server.secrets,
    POST: async (_: string, { body }: { body: unknown }) => {
      if (server.refuses) throw new Error(server.refuses)
      server.saved.push(body)
    },
    DELETE: async (_: string, { params }: { params: { path: { name: string } } }) => void server.deleted.push(params.path.name),
  },
  answered: (answer: unknown) => answer,
  allRows: (ask: (query: object) => unknown) => ask({}),
}))
vi.mock('../yard/yard', () => ({ useYard: () => ({ plates: [{}], yard: { paddocks: [{ name: 'shoreline' }] }, load: async () => {} }) }))

import { mounted, settled } from '../../testing/mounted'
import SecretsPanel from './SecretsPanel.vue'

const SECRET = { name: 'DEPOT_TOKEN', purpose: 'charts', pipelines: ['tide-*'], paddocks: ['*'], sources_only: true, given_at: '2026-11-28T10:00:00Z', given_to: '14-2', changed_by: 'harbourmaster', changed_at: '2026-11-28T10:00:00Z' }
async function panel(...secrets: unknown[]) {
  server.secrets = secrets
  const page = mounted(SecretsPanel)
  await settled()
  return page
}
const press = async (page: Awaited<ReturnType<typeof panel>>, act: string) => {
  await page.get(`[data-act=${act}]`).trigger('click')
  await settled()
}
const value = (page: Awaited<ReturnType<typeof panel>>) => page.get('[data-field=secret-value]')
const submit = async (page: Awaited<ReturnType<typeof panel>>) => {
  await page.get('form').trigger('submit')
  await settled()
}

describe('secrets', () => {
  beforeEach(() => Object.assign(server, { secrets: [], saved: [], deleted: [], refuses: '' }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it('says what they are for where there are none', async () => {
    expect((await panel()).text()).toContain('No secrets yet.')
  })

  it('shows who may use one and which attempt got it last', async () => {
    const page = await panel(SECRET, { ...SECRET, name: 'NEVER', given_at: null, paddocks: ['shoreline', 'annex'] })
    expect(page.get('[data-secret=DEPOT_TOKEN]').text()).toContain('from a Git source only')
    expect(page.get('[data-secret=DEPOT_TOKEN] td:nth-child(3)').text()).toBe('all')
    expect(page.getComponent({ name: 'RouterLinkStub' }).props('to')).toEqual({ name: 'run', params: { id: '14' }, query: { attempt: '2' } })
    expect(page.get('[data-secret=NEVER] td:nth-child(3)').text()).toBe('shoreline, annex')
    expect(page.get('[data-secret=NEVER] td:nth-child(4)').text()).toBe('never')
  })

  it('says the first thing that a new one lacks', async () => {
    const page = await panel()
    await press(page, 'add-secret')
    expect(page.text()).toContain('Enter a name.')
    await page.get('[data-field=secret-name]').setValue('DEPOT_TOKEN')
    expect(page.text()).toContain('Enter its value.')
    await value(page).setValue('s3cret')
    expect(page.text()).toContain('Enter the allowed pipelines.')
    expect(page.get('[data-act=keep-secret]').attributes('disabled')).toBeDefined()
  })

  it('keeps the value of one that is changed without a new value', async () => {
    const page = await panel(SECRET)
    await press(page, 'change-DEPOT_TOKEN')
    expect(page.get('[data-field=secret-name]').attributes('disabled')).toBeDefined()
    expect((value(page).element as HTMLTextAreaElement).value).toBe('')
    await submit(page)
    expect(server.saved).toEqual([{ name: 'DEPOT_TOKEN', purpose: 'charts', pipelines: ['tide-*'], paddocks: ['*'], sources_only: true }])
  })

  it('keeps what was entered when it is refused, and forgets the value once it is saved', async () => {
    const page = await panel(SECRET)
    await press(page, 'change-DEPOT_TOKEN')
    await value(page).setValue('s3cret')
    expect(page.get('[data-act=keep-secret]').text()).toBe('Replace value')
    server.refuses = 'Only an administrator may do this.'
    await submit(page)
    expect(page.get('[role=alert]').text()).toBe('Only an administrator may do this.')
    expect((value(page).element as HTMLTextAreaElement).value).toBe('s3cret')
    server.refuses = ''
    await submit(page)
    expect(page.find('form').exists()).toBe(false)
    await press(page, 'change-DEPOT_TOKEN')
    expect((value(page).element as HTMLTextAreaElement).value).toBe('')
  })
})
