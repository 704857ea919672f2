// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ calls: [] as Record<string, unknown>[], refuses: '' }))
vi.mock('../../api/client', () => ({
  api: {
    POST: async (_: string, options: { body: Record<string, unknown> }) => {
      server.calls.push(options.body)
      if (server.refuses) throw new Error(server.refuses)
      return { ...options.body, token: 'paddock-token-abc', ends_at: '2031-05-04T12:00:00Z' }
    },
  },
  answered: (answer: unknown) => answer,
}))

import { mounted, settled } from '../../testing/mounted'
import NewToken from './NewToken.vue'
import TokenTable from './TokenTable.vue'
import type { Schemas } from '../../api/client'

async function made(account = '') {
  const page = mounted(NewToken, { props: { account, paddocks: ['annex', 'orchard'] } })
  await page.get('[data-field=token-name]').setValue(' nightly ')
  await page.get('form').trigger('submit')
  await settled()
  return page
}

describe('a new token', () => {
  beforeEach(() => Object.assign(server, { calls: [], refuses: '' }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it('reads alone and ends after 90 days, unless more is chosen', async () => {
    await made()
    expect(server.calls).toEqual([{ account: '', name: 'nightly', scope: 'read', paddocks: [], days: 90 }])
  })

  it('is shown once', async () => {
    const page = await made('tide-ci')
    expect(page.get('[data-token]').text()).toContain('paddock-token-abc')
    expect(page.emitted('made')).toHaveLength(1)
    await page.get('button:last-child').trigger('click')
    await page.findAll('button').at(-1)!.trigger('click')
    expect(page.text()).not.toContain('paddock-token-abc')
  })

  it('keeps what was entered when it is refused', async () => {
    server.refuses = 'tide-ci has a token called nightly already.'
    const page = await made('tide-ci')
    expect(page.get('[role=alert]').text()).toBe(server.refuses)
    expect((page.get('[data-field=token-name]').element as HTMLInputElement).value).toBe(' nightly ')
  })
})

const token = (more: object) => ({ id: 1, account: 'mate', name: 'nightly', scope: 'jobs', paddocks: [], made_at: '', made_by: 'mate', ends_at: null, last_used_at: null, last_used_from: '', revoked_at: null, revoked_by: '', ...more }) as unknown as Schemas['Token']
const inDays = (days: number) => new Date(Date.now() + days * 86_400_000).toISOString()

describe('the table of tokens', () => {
  it.each([
    [token({}), 'never', true, true],
    [token({ ends_at: inDays(13) }), '', true, true],
    [token({ ends_at: inDays(15) }), '', false, true],
    [token({ ends_at: inDays(-1) }), 'ended', true, false],
    [token({ revoked_at: inDays(-1), revoked_by: 'harbourmaster' }), 'revoked by harbourmaster', false, false],
  ])('marks what ends soon, and revokes what is alive %#', (one, says, isMarked, canRevoke) => {
    const page = mounted(TokenTable, { props: { tokens: [one], account: 'mate' } })
    const cells = page.findAll('td')
    expect(cells[2]!.text()).toContain(says)
    expect(cells[2]!.find('.trouble').exists()).toBe(isMarked)
    expect(page.find('[data-act=revoke-token]').exists()).toBe(canRevoke)
  })
})
