import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope } from 'vue'
import { closeFeed, gathered, onNote, openFeed, shutOuts, type Note } from './feed'

vi.mock('../api/address', () => ({ serverAddress: 'https://paddock.saltmarsh.example/builds' }))

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

describe('the feed', () => {
  const opened: FakeSocket[] = []

  class FakeSocket {
    onopen?: () => void
    onmessage?: (event: { data: string }) => void
    onclose?: (event: { code: number }) => void
    constructor(readonly url: string) {
      opened.push(this)
    }
    say(note: object): void {
      this.onmessage?.({ data: JSON.stringify(note) })
    }
    close(): void {}
  }

  beforeEach(() => {
    vi.useFakeTimers()
    vi.stubGlobal('WebSocket', FakeSocket)
    opened.length = 0
  })
  afterEach(() => {
    closeFeed()
    vi.useRealTimers()
    vi.unstubAllGlobals()
  })

  it('asks a server for what came after its last note, and starts over for another person', async () => {
    const heard: Note[] = []
    const scope = effectScope()
    scope.run(() => onNote((note) => heard.push(note)))
    openFeed()
    opened[0]!.say({ noun: 'everything', name: '', start: 'a1', number: 7 })
    opened[0]!.say({ noun: 'host', name: 'avocet-01', number: 8, thing: { slots: 2 } })
    opened[0]!.onclose?.({ code: 1006 })
    await vi.advanceTimersByTimeAsync(60_000)
    expect(opened[1]!.url).toBe('wss://paddock.saltmarsh.example/builds/api/v1/feed/?start=a1&number=8')
    opened[1]!.say({ noun: 'caught up', name: '', start: 'a1', number: 8 })
    expect(heard.map((note) => note.noun)).toEqual(['everything', 'host'])
    closeFeed()
    openFeed()
    expect(opened[2]!.url).toContain('?start=&number=0')
    scope.stop()
  })

  it.each([
    [4401, true, 1, 1],
    [1006, true, 0, 2],
    [4401, false, 0, 1],
  ])('does not connect again when the session has ended: code %s, open %s', async (code, isOpen, ended, sockets) => {
    const before = shutOuts.value
    openFeed()
    if (!isOpen) closeFeed()
    opened[0]!.onclose?.({ code })
    await vi.advanceTimersByTimeAsync(60_000)
    expect([shutOuts.value - before, opened.length]).toEqual([ended, sockets])
  })
})
