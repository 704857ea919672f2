// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { mounted } from '../../testing/mounted'
import FitSheet from './FitSheet.vue'

const TERMS = [{ term: 'tool jdk 17..21' }, { term: 'label release-signing-and-notarising' }]
const INSTALL = { kind: 'install', text: 'Install jdk', borrows_label: false }
const LABEL = { kind: 'add label', text: 'Add the label', borrows_label: true }

function row(host: string, change: Record<string, unknown> = {}) {
  const remedies = (change.remedies as unknown[]) ?? []
  return { host, fits: false, readiness: 'free', blocks: [], prefers: [], verdicts: [{ term: 'tool jdk 17..21', holds: true, known: true, found: '17.0.9' }], remedies, remedy: remedies[0] ?? null, ...change }
}
function sheet(hosts: unknown[], props: Record<string, unknown> = {}, fit: Record<string, unknown> = {}) {
  return mounted(FitSheet, { props: { fit: { terms: TERMS, hosts, folded: 0, ...fit } as never, showsAll: false, ...props }, global: { stubs: { HelpButton: { props: ['help', 'jobs'], template: '<b class="help">{{ help.text }} {{ jobs.join() }}</b>' } } } })
}
const lots = (page: ReturnType<typeof sheet>) => page.findAll('tbody').map((one) => [one.get('.lot th').text().replace(/\s+/g, ' '), one.findAll('[data-host]').map((line) => line.attributes('data-host'))])

describe('the fit sheet', () => {
  it('lists those that fit, then near fits, then the rest, and folds hosts that would need a label of others', async () => {
    const page = sheet([row('rest'), row('borrower', { remedies: [LABEL] }), row('near', { remedies: [INSTALL] }), row('fits', { fits: true })])
    expect(lots(page)).toEqual([['Fits 1', ['fits']], ['Near fits 1', ['near']], ['Would need a label of other hosts 1Show', []], ['The rest 1', ['rest']]])
    await page.get('[data-act=show-borrowing]').trigger('click')
    expect(lots(page)[2]).toEqual(['Would need a label of other hosts 1Hide', ['borrower']])
  })

  it('leaves out what is empty', () => {
    expect(lots(sheet([row('fits', { fits: true })]))).toEqual([['Fits 1', ['fits']]])
    expect(sheet([]).text()).toContain('No near fits.')
  })

  it('heads a tool by its name and a long term by its subject', () => {
    expect(sheet([]).findAll('thead th').map((one) => one.text())).toEqual(['Host', 'jdk', 'label', 'Now', 'Remedy'])
  })

  it.each([
    [{ holds: true, known: true, found: '17.0.9' }, '✓holds: 17.0.9', 'well'],
    [{ holds: false, known: true, found: '8.0' }, '✕does not hold: 8.0', 'trouble'],
    [{ holds: false, known: true, found: '' }, '✕does not hold: none', 'trouble'],
    [{ holds: false, known: false, found: '' }, '?unknown: none', 'trouble'],
  ])('says of %o: %s', (verdict, text, look) => {
    const cell = sheet([row('one', { verdicts: [{ term: 'tool jdk', ...verdict }] })]).get('td.machine')
    expect(cell.text().replace(/\s+/g, ' ')).toBe(text)
    expect(cell.classes()).toContain(look)
  })

  it('says why a free host is not a fit yet', () => {
    expect(sheet([row('one', { blocks: ['fence', 'too few slots', 'cooling down'] })]).get('[data-host=one] td:nth-child(3)').text()).toBe('free, its fence, too few slots, cooling down')
  })

  it.each([
    ['free', [], 'none needed: it is free'],
    ['busy', [], 'none needed: it fits'],
    ['free', ['label fast'], 'none needed: it is free, and is preferred'],
  ])('asks for no remedy where a %s host fits', (readiness, prefers, text) => {
    expect(sheet([row('one', { fits: true, readiness, prefers })]).get('[data-host=one] td:last-child').text()).toBe(text)
  })

  it('does not offer again in a row what is offered above for all', () => {
    const page = sheet([row('one', { remedies: [INSTALL, { kind: 'let in', text: 'Let it in', borrows_label: false }] })], { job: 7, offered: INSTALL })
    expect(page.findAll('.help').map((one) => one.text())).toEqual(['Let it in 7'])
    expect(page.get('[data-host=one] td:last-child').text()).toContain('correct the term, or')
  })

  it.each([[1, '1 host misses more terms.'], [28, '28 more hosts miss more terms.']])('shows the other %s on demand', async (folded, text) => {
    const page = sheet([row('one')], {}, { folded })
    expect(page.text()).toContain(text)
    await page.findAll('button').at(-1)!.trigger('click')
    expect(page.emitted('update:showsAll')).toEqual([[true]])
  })
})
