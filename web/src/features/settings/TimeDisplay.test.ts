// @vitest-environment jsdom
import { Select } from 'ant-design-vue'
import { afterEach, describe, expect, it } from 'vitest'
import { chooseClock, clockChoice } from '../../kit/moments'
import { mounted, settled } from '../../testing/mounted'
import TimeDisplay from './TimeDisplay.vue'

describe('the display of times', () => {
  afterEach(() => {
    chooseClock({ zone: '', hours: '24' })
    document.body.innerHTML = ''
  })

  it('changes the zone and the clock at once, and stores them', async () => {
    const page = mounted(TimeDisplay, { props: { open: true } })
    await settled()
    page.getComponent(Select).vm.$emit('change', 'Asia/Tokyo')
    await settled()
    expect(document.querySelector('[data-now]')?.textContent).toContain('(Asia/Tokyo)')
    ;(document.querySelector('input[value="12"]') as HTMLInputElement).click()
    await settled()
    expect(document.querySelector('[data-now]')?.textContent).toMatch(/ [ap]m/)
    expect(JSON.parse(localStorage.getItem('paddock-clock') ?? '')).toEqual({ zone: 'Asia/Tokyo', hours: '12' })
    expect({ ...clockChoice }).toEqual({ zone: 'Asia/Tokyo', hours: '12' })
  })

  it('offers the browser’s own zone first, and UTC', () => {
    const page = mounted(TimeDisplay, { props: { open: true } })
    const options = page.getComponent(Select).props('options') as { value: string }[]
    expect(options.slice(0, 2).map((one) => one.value)).toEqual(['', 'UTC'])
  })
})
