import { mount, RouterLinkStub, type ComponentMountingOptions } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { nextTick, type Component } from 'vue'

/** What jsdom has not: nothing is ever resized or scrolled into view here. */
class Unmoved {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
}
globalThis.ResizeObserver = Unmoved as unknown as typeof ResizeObserver
globalThis.IntersectionObserver = Unmoved as unknown as typeof IntersectionObserver
globalThis.matchMedia ??= ((query: string) => ({ matches: false, media: query, addEventListener() {}, removeEventListener() {}, addListener() {}, removeListener() {} })) as unknown as typeof matchMedia

/** A component on a page of its own, with links that lead nowhere. */
export function mounted(component: Component, options: ComponentMountingOptions<Component> = {}) {
  setActivePinia(createPinia())
  return mount(component, { attachTo: document.body, ...options, global: { stubs: { RouterLink: RouterLinkStub }, ...options.global } })
}

/** Lets all that has been promised happen. */
export async function settled(): Promise<void> {
  for (let at = 0; at < 20; at += 1) await nextTick()
}

/** A server of the test's own: answers by method and path, or with the problem that is thrown. */
export function answering(answers: Record<string, unknown | ((options: never) => unknown)>) {
  const calls: { path: string; options: Record<string, unknown> }[] = []
  const call = (method: string) => async (path: string, options: Record<string, unknown> = {}) => {
    calls.push({ path: `${method} ${path}`, options })
    const answer = answers[`${method} ${path}`]
    return typeof answer === 'function' ? (answer as (options: unknown) => unknown)(options) : answer
  }
  return { calls, api: { GET: call('GET'), POST: call('POST'), PATCH: call('PATCH'), PUT: call('PUT'), DELETE: call('DELETE') } }
}
