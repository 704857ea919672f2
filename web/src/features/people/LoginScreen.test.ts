// @vitest-environment jsdom
import { beforeEach, describe, expect, it, vi } from 'vitest'

const page = vi.hoisted(() => ({ to: undefined as unknown, went: [] as unknown[], calls: [] as unknown[], refuses: '' }))
vi.mock('vue-router', () => ({ useRoute: () => ({ query: { to: page.to } }), useRouter: () => ({ push: async (to: unknown) => void page.went.push(to) }) }))
vi.mock('./session', () => ({
  useSession: () => ({
    session: null,
    name: 'harbourmaster',
    load: async () => void page.calls.push('load'),
    logIn: async (name: string, password: string) => {
      page.calls.push([name, password])
      if (page.refuses) throw new Error(page.refuses)
    },
  }),
}))

import { mounted, settled } from '../../testing/mounted'
import LoginScreen from './LoginScreen.vue'

async function loggedIn() {
  const screen = mounted(LoginScreen)
  await screen.get('[name=username]').setValue(' harbourmaster ')
  await screen.get('[name=password]').setValue(' with spaces ')
  await screen.get('form').trigger('submit')
  await settled()
  return screen
}

describe('logging in', () => {
  beforeEach(() => Object.assign(page, { to: undefined, went: [], calls: [], refuses: '' }))

  it('asks who is logged in first, and leaves the password as it is', async () => {
    await loggedIn()
    expect(page.calls).toEqual(['load', ['harbourmaster', ' with spaces ']])
  })

  it.each([
    ['/board/7', '/board/7'],
    [undefined, '/'],
    [['/a', '/b'], '/'],
    ['//elsewhere.example', '/'],
    ['/\\elsewhere.example', '/'],
    ['https://elsewhere.example', '/'],
    ['javascript:alert(1)', '/'],
  ])('goes from %o to %s, never to another site', async (to, place) => {
    page.to = to
    await loggedIn()
    expect(page.went).toEqual([place])
  })

  it('stays with the reason and the name when it is refused', async () => {
    page.refuses = 'Name or password is wrong.'
    const screen = await loggedIn()
    expect(screen.get('[role=alert]').text()).toBe('Name or password is wrong.')
    expect((screen.get('[name=username]').element as HTMLInputElement).value).toBe(' harbourmaster ')
    expect(page.went).toEqual([])
  })
})
