import { describe, expect, it } from 'vitest'
import { endsWord, MAX_WORD_LENGTH, MAX_WORDS, readWords, sayRead } from './label-list'

describe('a list of words', () => {
  it.each([
    ['site/north, size/large', ['site/north', 'size/large']],
    ['  bench-rig  ', ['bench-rig']],
    ['a\nb\r\nc\td;e', ['a', 'b', 'c', 'd', 'e']],
    ['a\u00a0b\u200bc', ['a', 'b', 'c']],
    [',,, ', []],
    ['10.20.0.0/16,fd00::/8', ['10.20.0.0/16', 'fd00::/8']],
    ['аvocet', ['аvocet']],
  ])('reads %j', (text, words) => expect(readWords([], text).words).toEqual(words))

  it('leaves spaces inside names where names may have them', () => {
    expect(readWords([], ' night build ,docs\nchart *', true).words).toEqual(['night build', 'docs', 'chart *'])
    expect([endsWord('night build', true), endsWord('night,', true), endsWord('a '), endsWord(' a')]).toEqual([false, true, true, false])
  })

  it('keeps what is there, and leaves a word out that is there already', () => {
    const read = readWords(['bench-rig', 'edge'], 'EDGE, gpu, gpu')
    expect(read.words).toEqual(['bench-rig', 'edge', 'gpu'])
    expect(sayRead(read)).toBe('Already in the list: EDGE, gpu.')
  })

  it('says what it made of a paste', () => {
    expect(sayRead(readWords([], 'a, b'))).toBe('Added 2: a, b.')
    expect(sayRead(readWords([], 'a b c d e f'))).toBe('Added 6: a, b, c, d and 2 more.')
    expect(sayRead(readWords([], 'a'))).toBe('')
  })

  it('is bounded', () => {
    const many = Array.from({ length: MAX_WORDS + 3 }, (_, i) => `w${i}`).join(',')
    const read = readWords([], `${many},${'x'.repeat(MAX_WORD_LENGTH + 1)}`)
    expect([read.words.length, read.tooMany, read.tooLong]).toEqual([MAX_WORDS, 3, 1])
    expect(readWords([], 'x'.repeat(10_000)).words).toEqual([])
  })
})
