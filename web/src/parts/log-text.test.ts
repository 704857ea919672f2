import { describe, expect, it } from 'vitest'
import { readable, tail } from './log-text'

describe('readable', () => {
  it.each([
    ['\x1b[1mApache Maven 3.8.7\x1b[m\n', 'Apache Maven 3.8.7\n'],
    ['one\r\ntwo\r\n', 'one\ntwo\n'],
    ['10 %\r50 %\rdone\n', 'done\n'],
    ['a\x00b\x07c', 'a·b·c'],
    ['\x1b]0;a title\x07plain', 'plain'],
    ['<script>alert(1)</script>', '<script>alert(1)</script>'],
  ])('%j becomes %j', (printed, shown) => {
    expect(readable(printed)).toBe(shown)
  })
})

describe('tail', () => {
  it('keeps a short text whole', () => {
    expect(tail('one\ntwo\n', 100)).toEqual({ text: 'one\ntwo\n', leftOut: 0 })
  })
  it('starts at a line and says how much is left out', () => {
    expect(tail('first\nsecond\nthird\n', 10)).toEqual({ text: 'third\n', leftOut: 13 })
  })
  it('cuts a line that never ends', () => {
    expect(tail('x'.repeat(9000), 1000)).toEqual({ text: 'x'.repeat(1000), leftOut: 8000 })
  })
})
