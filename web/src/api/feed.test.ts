import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { gathered } from './feed'

describe('gathered', () => {
  beforeEach(() => {
    vi.useFakeTimers()
  })
  afterEach(() => {
    vi.useRealTimers()
  })

  it('makes one run of many calls', async () => {
    const work = vi.fn(async () => {})
    const soon = gathered(work, 100)
    soon()
    soon()
    soon()
    expect(work).not.toHaveBeenCalled()
    await vi.advanceTimersByTimeAsync(100)
    expect(work).toHaveBeenCalledTimes(1)
  })

  it('runs once more for calls that came while it ran, and never twice at a time', async () => {
    let atWork = 0
    let most = 0
    const work = vi.fn(async () => {
      atWork += 1
      most = Math.max(most, atWork)
      await new Promise((done) => setTimeout(done, 500))
      atWork -= 1
    })
    const soon = gathered(work, 100)
    soon()
    await vi.advanceTimersByTimeAsync(150)
    for (let i = 0; i < 5; i += 1) {
      soon()
      await vi.advanceTimersByTimeAsync(60)
    }
    await vi.advanceTimersByTimeAsync(3000)
    expect(work).toHaveBeenCalledTimes(2)
    expect(most).toBe(1)
  })
})
