// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { allRows, ProblemError } from './client'

const page = (results: number[], next: string | null) => Promise.resolve({ data: { results, next }, response: new Response('{}') })

describe('all rows of a list', () => {
  it('are those of all pages, in order', async () => {
    const asked: number[] = []
    const rows = await allRows(({ page: number }) => {
      asked.push(number)
      return page([number * 10, number * 10 + 1], number < 3 ? `?page=${number + 1}` : null)
    })
    expect(rows).toEqual([10, 11, 20, 21, 30, 31])
    expect(asked).toEqual([1, 2, 3])
  })

  it('are none where one page is refused, with the reason', async () => {
    const refused = { error: { title: 'Not found', detail: 'No page 2.' }, response: new Response('{}', { status: 404 }) }
    const rows = allRows(({ page: number }) => (number === 1 ? page([1], '?page=2') : Promise.resolve(refused)))
    await expect(rows).rejects.toThrow('No page 2.')
    await expect(rows).rejects.toBeInstanceOf(ProblemError)
  })
})
