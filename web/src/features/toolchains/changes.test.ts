import { expect, it } from 'vitest'
import { changedBetween, changeText, propertiesText } from './changes'

const CHANGE = {
  id: 1, host: 'avocet-01', kind: 'tool', name: 'jdk', place: '/opt/jdk', what: 'changed' as const,
  before: { version: '17.0.9', home: '/opt/jdk', plain: 'yes' }, after: { version: '17.0.11', home: '/opt/jdk', plain: 'yes' },
  not_before: '2026-11-20T08:00:00Z', at: '2026-11-21T08:00:00Z', because: 'daily', accepted_by: '', accepted_at: null, note: '',
}

it.each([
  [CHANGE, 'jdk: 17.0.9 → 17.0.11 at /opt/jdk'],
  [{ ...CHANGE, after: { ...CHANGE.before, plain: '' } }, 'jdk: no longer answers the plain command at /opt/jdk'],
  [{ ...CHANGE, what: 'came' as const, before: null }, 'jdk 17.0.11 was installed at /opt/jdk'],
  [{ ...CHANGE, what: 'went' as const, after: null }, 'jdk 17.0.9 was removed at /opt/jdk'],
  [{ ...CHANGE, what: 'broke' as const, after: { why: 'exit code 1' } }, 'jdk broke at /opt/jdk: exit code 1'],
  [{ ...CHANGE, kind: 'variable', name: 'LANG', place: '', before: { value: 'C' }, after: { value: '' } }, 'variable LANG: C → nothing'],
])('says what has changed', (change, sentence) => expect(changeText(change)).toBe(sentence))

it('says how exactly the moment is known', () => {
  expect(changedBetween(CHANGE)).toBe(', within 24 h before')
  expect(changedBetween({ ...CHANGE, not_before: '2026-11-21T07:59:00Z' })).toBe('')
})

it('names what is there', () => expect([propertiesText(null), propertiesText({ why: 'x' }), propertiesText({ version: '1' }), propertiesText({ value: '' })]).toEqual(['not there', 'broken: x', '1', 'there']))
