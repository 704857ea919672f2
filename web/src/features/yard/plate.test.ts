import { describe, expect, it } from 'vitest'
import { plateMarks, plateWord } from './plate'

describe('the marks of a plate', () => {
  it.each([
    [{ standing: 'admitted', link: 'stopped', holding: '', power: 'asleep' }, ['asleep'], 'asleep'],
    [{ standing: 'admitted', link: 'lost', holding: '', power: 'waking' }, ['asleep'], 'waking'],
    [{ standing: 'admitted', link: 'stopped', holding: '', power: 'does not wake' }, ['stopped'], 'does not wake'],
    [{ standing: 'admitted', link: 'connected', holding: '', power: 'going down' }, ['connected'], 'going down'],
    [{ standing: 'admitted', link: 'stopped', holding: '', power: 'switched off' }, ['stopped'], 'switched off'],
    [{ standing: 'admitted', link: 'connected', holding: 'held', power: 'asleep' }, ['connected', 'held'], 'held'],
    [{ standing: 'admitted', link: 'connected', holding: '' }, ['connected'], ''],
    [{ standing: 'admitted', link: 'connected', holding: 'held' }, ['connected', 'held'], 'held'],
    [{ standing: 'admitted', link: 'connected', holding: 'draining' }, ['connected', 'draining'], 'draining'],
    [{ standing: 'admitted', link: 'lost', holding: '' }, ['lost'], 'lost'],
    [{ standing: 'admitted', link: 'lost', holding: 'held' }, ['lost', 'held'], 'lost'],
    [{ standing: 'admitted', link: 'stopped', holding: '' }, ['stopped'], 'stopped'],
    [{ standing: 'admitted', link: 'never seen', holding: '' }, ['stopped'], 'never seen'],
    [{ standing: 'at the gate', link: 'connected', holding: '' }, ['at-the-gate'], 'at the gate'],
    [{ standing: 'at the gate', link: 'lost', holding: '' }, ['at-the-gate'], 'at the gate'],
  ] as const)('%j', (plate, marks, word) => {
    expect(plateMarks({ power: 'on', ...plate })).toEqual(marks)
    expect(plateWord({ power: 'on', ...plate })).toBe(word)
  })

  it('never leaves a state to colour alone: whatever is not simply well has a word', () => {
    for (const link of ['connected', 'lost', 'stopped', 'never seen'] as const) {
      for (const holding of ['', 'held', 'draining'] as const) {
        const isWell = link === 'connected' && holding === ''
        expect(plateWord({ standing: 'admitted', link, holding, power: 'on' }) === '').toBe(isWell)
      }
    }
  })
})
