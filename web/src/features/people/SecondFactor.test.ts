// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const page = vi.hoisted(() => ({ calls: [] as unknown[], refuses: '', obstacle: '', cancels: false }))
vi.mock('../../api/client', () => ({ api: { GET: async () => ({ options: { challenge: 'AA' } }) }, answered: (answer: unknown) => answer }))
vi.mock('./passkeys', () => ({
  passkeyObstacle: () => page.obstacle,
  usePasskey: async () => {
    if (page.cancels) throw new Error('No passkey was used: it was cancelled, or took too long.')
    return { id: 'key' }
  },
}))
vi.mock('./session', () => ({
  useSession: () => ({
    finishLogIn: async (body: unknown) => {
      page.calls.push(body)
      if (page.refuses) throw new Error(page.refuses)
    },
    logOut: async () => void page.calls.push('log out'),
  }),
}))

import { mounted, settled } from '../../testing/mounted'
import SecondFactor from './SecondFactor.vue'

describe('the second factor', () => {
  beforeEach(() => Object.assign(page, { calls: [], refuses: '', obstacle: '', cancels: false }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it('is a passkey first', async () => {
    const screen = mounted(SecondFactor)
    await screen.get('[data-act=use-passkey]').trigger('click')
    await settled()
    expect(page.calls).toEqual([{ credential: { id: 'key' } }])
    expect(screen.emitted('done')).toHaveLength(1)
  })

  it('sends nothing when the person cancels', async () => {
    page.cancels = true
    const screen = mounted(SecondFactor)
    await screen.get('[data-act=use-passkey]').trigger('click')
    await settled()
    expect(page.calls).toEqual([])
    expect(screen.get('[role=alert]').text()).toContain('cancelled')
  })

  it('is a recovery code where the page cannot use passkeys', async () => {
    page.obstacle = 'This browser has no passkeys.'
    const screen = mounted(SecondFactor)
    expect(screen.text()).toContain(page.obstacle)
    expect(screen.find('[data-act=use-passkey]').exists()).toBe(false)
    await screen.get('[name=recovery-code]').setValue('abcd-efgh')
    await screen.get('form').trigger('submit')
    await settled()
    expect(page.calls).toEqual([{ recovery_code: 'abcd-efgh' }])
  })

  it('keeps a wrong code on the screen with the reason', async () => {
    page.refuses = 'This recovery code is wrong or was used before.'
    const screen = mounted(SecondFactor)
    await screen.get('[data-act=use-code]').trigger('click')
    await screen.get('[name=recovery-code]').setValue('abcd')
    await screen.get('form').trigger('submit')
    await settled()
    expect(screen.get('[role=alert]').text()).toBe(page.refuses)
    expect(screen.emitted('done')).toBeUndefined()
  })
})
