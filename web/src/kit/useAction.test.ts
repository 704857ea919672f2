import { describe, expect, it } from 'vitest'
import { useAction } from './useAction'

describe('an action', () => {
  it('is busy until it is done', async () => {
    const { isBusy, perform } = useAction()
    let finish = () => {}
    const done = perform(() => new Promise<void>((resolve) => (finish = resolve)))
    expect(isBusy.value).toBe(true)
    finish()
    await done
    expect(isBusy.value).toBe(false)
  })

  it('shows why it failed, until the next begins', async () => {
    const { isBusy, trouble, perform } = useAction()
    await perform(() => Promise.reject(new Error('The disk is full.')))
    expect([isBusy.value, trouble.value]).toEqual([false, 'The disk is full.'])
    const next = perform(async () => {})
    expect(trouble.value).toBe('')
    await next
  })
})
