// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ calls: [] as { path: string; body: Record<string, unknown> }[], preview: {} as Record<string, unknown>, refuses: '' }))
vi.mock('../../api/client', () => {
  const call = async (path: string, options: { body: Record<string, unknown> }) => {
    server.calls.push({ path, body: JSON.parse(JSON.stringify(options.body)) })
    if (server.refuses) throw new Error(server.refuses)
    return server.preview
  }
  return { api: { POST: call, PUT: call }, answered: (answer: unknown) => answer }
})

import type { Schemas } from '../../api/client'
import { mounted, settled } from '../../testing/mounted'
import MappingEditor from './MappingEditor.vue'

const TEAM = { group: 'team', role: 'operator', paddock: 'annex' }
const provider = (more = {}) => ({ id: 3, name: 'Harbour ID', version: 5, roles: [TEAM], known_groups: ['team', 'leads'], ...more }) as unknown as Schemas['Provider']
const nothing = { let_in: [], locked_out: [], changed: [], administrators_left: 1 }
const one = (name: string, before = {}, after = {}) => ({ name, before, after })
const editor = () => mounted(MappingEditor, { props: { provider: provider(), paddocks: ['annex', 'orchard'] } })
type Page = ReturnType<typeof editor>

async function looked(page: Page) {
  await vi.advanceTimersByTimeAsync(400)
  await settled()
  return page
}
async function removed(page: Page) {
  await page.get('tbody button').trigger('click')
  return looked(page)
}

describe('the mapping of groups', () => {
  beforeEach(() => {
    vi.useFakeTimers()
    Object.assign(server, { calls: [], preview: nothing, refuses: '' })
  })
  afterEach(() => {
    vi.useRealTimers()
    document.body.innerHTML = ''
  })

  it('asks for nothing while it is as it was', async () => {
    const page = await looked(editor())
    expect(server.calls).toEqual([])
    expect(page.find('[data-act=save-mapping]').exists()).toBe(false)
  })

  it('does not look ahead while a group has no name', async () => {
    const page = editor()
    await page.get('[data-act=add-mapped]').trigger('click')
    await looked(page)
    expect(server.calls).toEqual([])
    expect(page.get('[data-act=save-mapping]').attributes('disabled')).toBeDefined()
  })

  it('says whom it locks out, and sends their names with the version that was seen', async () => {
    server.preview = { ...nothing, locked_out: [one('ada', { annex: 'operator' })] }
    const page = await removed(editor())
    expect(page.text()).toContain('ada is locked out (now operator in annex).')
    const button = page.get('[data-act=save-mapping]')
    expect(button.text()).toBe('Save, and lock out 1 person')
    await button.trigger('click')
    await settled()
    expect(server.calls.at(-1)).toEqual({ path: '/api/v1/sign-on-providers/{id}/mapping/', body: { roles: [], version: 5, locked_out: ['ada'] } })
    expect(page.emitted('saved')).toHaveLength(1)
  })

  it('says whom it lets in and who gets other roles', async () => {
    server.preview = { ...nothing, let_in: [one('ben', {}, { '': 'viewer' })], changed: [one('cleo', { annex: 'viewer' }, { annex: 'operator' })] }
    const page = await removed(editor())
    expect(page.text()).toContain('ben is let in: viewer for everything.')
    expect(page.text()).toContain('cleo: viewer in annex → operator in annex.')
  })

  it('cannot be saved where no administrator would be left', async () => {
    server.preview = { ...nothing, administrators_left: 0 }
    const page = await removed(editor())
    expect(page.text()).toContain('This would leave no administrator')
    expect(page.get('[data-act=save-mapping]').attributes('disabled')).toBeDefined()
  })

  it('cannot be saved without a preview, and says why there is none', async () => {
    server.refuses = 'There is no paddock annex.'
    const page = await removed(editor())
    expect(page.get('[role=alert]').text()).toBe('There is no paddock annex.')
    expect(page.get('[data-act=save-mapping]').attributes('disabled')).toBeDefined()
  })

  it('is put back by Undo, and starts anew with another version', async () => {
    const page = await removed(editor())
    const undo = page.findAll('button').find((button) => button.text() === 'Undo')!
    await undo.trigger('click')
    expect(page.findAll('[data-mapped]')).toHaveLength(1)
    await page.setProps({ provider: provider({ version: 6, roles: [TEAM, { ...TEAM, group: 'leads' }] }) })
    expect(page.findAll('[data-mapped]')).toHaveLength(2)
  })
})
