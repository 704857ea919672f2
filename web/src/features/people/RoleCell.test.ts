// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ calls: [] as { body: Record<string, unknown> }[], refuses: '' }))
vi.mock('../../api/client', () => ({
  api: {
    PUT: async (_: string, options: { body: Record<string, unknown> }) => {
      if (server.refuses) throw new Error(server.refuses)
      server.calls.push(options)
    },
  },
  answered: (answer: unknown) => answer,
}))

import type { Schemas } from '../../api/client'
import { mounted, settled } from '../../testing/mounted'
import RoleCell from './RoleCell.vue'
import type { HeldRole } from './roles'

const held = (more: Partial<HeldRole> = {}): HeldRole => ({ paddock: 'annex', role: 'viewer', by_provider: '', ends_at: null, granted_by: 'harbourmaster', granted_at: '2031-05-04T12:00:00Z', last_used_at: null, ...more })
/** The popover, in place. */
const Opened = { emits: ['openChange'], template: '<div><slot name="content" /><slot /></div>' }
const cell = (roles: HeldRole[], mayChange = true) => mounted(RoleCell, { props: { person: { name: 'mate', roles } as unknown as Schemas['Person'], paddock: 'annex', mayChange }, global: { stubs: { APopover: Opened } } })

async function opened(roles: HeldRole[]) {
  const page = cell(roles)
  await page.get('button.cell').trigger('click')
  await settled()
  return page
}
const choose = async (name: string) => {
  const select = document.querySelector<HTMLSelectElement>('[data-field=role]')!
  select.selectedIndex = [...select.options].findIndex((one) => one.text === name)
  select.dispatchEvent(new Event('change'))
  await settled()
}
const save = async () => {
  document.querySelector<HTMLFormElement>('form.change')!.dispatchEvent(new Event('submit', { cancelable: true }))
  await settled()
}

describe('a cell of the sheet of people', () => {
  beforeEach(() => Object.assign(server, { calls: [], refuses: '' }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it.each([
    [[], 'mate in annex:no role'],
    [[held({ role: 'operator' })], 'mate in annex:operator'],
    [[held({ role: 'administrator', by_provider: 'Harbour ID' })], 'mate in annex:admin · group'],
    [[held({ paddock: '', role: 'operator' })], 'mate in annex:operator through the role for everything'],
    [[held({ role: 'operator', ends_at: '2031-05-11T12:00:00Z' })], 'mate in annex:operatoruntil 11 May 2031'],
  ])('says what the person may do %#', (roles, text) => {
    expect(cell(roles).get('button').text().replace(/\s+/g, ' ')).toBe(text)
  })

  it('draws the role that counts: hatched where that is the one for everything', () => {
    const drawn = (roles: HeldRole[]) => [cell(roles).findAll('rect.held').length, cell(roles).find('svg.through').exists()]
    expect(drawn([held(), held({ paddock: '', role: 'administrator' })])).toEqual([3, true])
    expect(drawn([held({ role: 'operator' }), held({ paddock: '' })])).toEqual([2, false])
    expect(drawn([])).toEqual([0, true])
  })

  it('cannot be opened without the right to change it', async () => {
    expect(cell([], false).get('button').attributes('disabled')).toBeDefined()
  })

  it('gives a role, with the one that was seen', async () => {
    const page = await opened([held()])
    await choose('operator')
    await save()
    expect(server.calls.map((call) => call.body)).toEqual([{ paddock: 'annex', role: 'operator', was: 'viewer', ends_at: null }])
    expect(page.emitted('changed')).toHaveLength(1)
  })

  it('takes a role back', async () => {
    await opened([held()])
    await choose('none')
    expect(document.querySelector('[data-act=save-role]')!.textContent).toBe('Take the role back')
    await save()
    expect(server.calls[0]!.body).toMatchObject({ role: null, was: 'viewer' })
  })

  it('stays open with the reason when another person was faster', async () => {
    server.refuses = 'Another person has changed this role since you looked.'
    const page = await opened([held()])
    await choose('operator')
    await save()
    expect(document.querySelector('[role=alert]')!.textContent).toBe(server.refuses)
    expect(page.emitted('changed')).toBeUndefined()
  })

  it('says that a group gives the role, and does not send that one as seen', async () => {
    await opened([held({ role: 'operator', by_provider: 'Harbour ID' })])
    expect(document.body.textContent).toContain('A group of Harbour ID gives operator.')
    await choose('administrator')
    await save()
    expect(server.calls[0]!.body).toMatchObject({ was: null })
  })
})
