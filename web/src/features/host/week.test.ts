import { describe, expect, it } from 'vitest'
import { days, lanes } from './week'

const nothing = { start: 0, end: 1000, link: [], holds: [], services: [], jobs: [], tools: [], findings: [] }
const at = (seconds: number) => `${seconds} s`

describe('the lanes of a week', () => {
  it('puts everything on one axis of a thousand parts', () => {
    const link = [
      { start: 0, end: 600, state: 'connected', detail: 'hello' },
      { start: 600, end: 1000, state: 'never seen', detail: '' },
    ]
    const [lane] = lanes({ ...nothing, link }, at)
    expect(lane?.bars).toEqual([
      { x: 0, width: 600, state: 'connected', title: 'connected, from 0 s to 600 s: hello', to: undefined },
      { x: 600, width: 400, state: 'never-seen', title: 'never seen, from 600 s to 1000 s', to: undefined },
    ])
  })

  it('keeps what is short wide enough to be seen', () => {
    const jobs = [{ start: 10, end: 10.1, state: 'failed', detail: 'soak', job: 7 }]
    const lane = lanes({ ...nothing, jobs }, at).find((one) => one.name === 'Jobs')
    expect(lane?.bars[0]).toMatchObject({ width: 2, to: 7, title: 'soak failed, from 10 s to 10.1 s: soak' })
  })

  it('has a lane for each service, and one for holds only where there were some', () => {
    const services = [{ name: '', spans: [] }, { name: 'chartdb', spans: [] }]
    expect(lanes({ ...nothing, services }, at).map((one) => one.name)).toEqual(['Link', 'Service', 'chartdb', 'Tools', 'Jobs', 'Findings'])
    const holds = [{ start: 0, end: 5, state: 'held', detail: '' }]
    expect(lanes({ ...nothing, holds }, at)[1]?.name).toBe('Held')
  })

  it('marks the midnights of the reader', () => {
    const noon = new Date(2026, 10, 20, 12).getTime() / 1000
    expect(days(noon, noon + 2 * 86_400, () => 'x').map((one) => one.x)).toEqual([250, 750])
  })
})
