// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { mounted } from '../../testing/mounted'
import CheckList from './CheckList.vue'

const CHECKS = [
  { name: 'Python', mark: 'ok', found: '3.11.7', why: '', remedy: ['apt install python3'] },
  { name: 'Clock', mark: 'mind', found: '40 s behind', why: 'Signatures may be refused.', remedy: [] },
  { name: 'Disk', mark: 'missing', found: '3 MB free', why: '', remedy: ['du -sh /opt', 'df -h'] },
]
const list = (folded: boolean, checks = CHECKS) => mounted(CheckList, { props: { checks: checks as never, folded } })
const names = (page: ReturnType<typeof list>) => page.findAll('tr').map((row) => `${row.get('.mark').text()} ${row.get('th').text()}`)

describe('the checks of a preflight', () => {
  it('puts what is missing first', () => {
    expect(names(list(false))).toEqual(['missing Disk', 'warning Clock', 'passed Python'])
  })

  it('folds what passed, and shows it on demand', async () => {
    const page = list(true)
    expect(names(page)).toEqual(['missing Disk', 'warning Clock'])
    expect(page.get('.more').text()).toBe('1 check passed: show')
    await page.get('.more').trigger('click')
    expect(names(page)).toHaveLength(3)
    expect(page.get('.more').text()).toBe('Hide passed checks')
  })

  it('gives commands only for what did not pass, each to be copied', () => {
    const page = list(false)
    expect(page.text()).not.toContain('apt install')
    expect(page.findAll('tr.missing .do')).toHaveLength(2)
  })

  it('offers nothing to unfold where nothing passed', () => {
    expect(list(true, CHECKS.slice(1)).find('.more').exists()).toBe(false)
  })
})
