import { LineChart } from 'echarts/charts'
import { GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components'
import { init, use, type EChartsCoreOption } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'
import { tick } from '../../kit/moments'
import { onBeforeUnmount, onMounted, watch, type Ref } from 'vue'

use([LineChart, GridComponent, MarkLineComponent, TooltipComponent, SVGRenderer])

/** A colour of the theme, as it is now. */
export function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim()
}

/** Draws a chart into an element, and again when its option, its size or the theme changes. */
export function useChart(place: Ref<HTMLElement | null>, option: () => EChartsCoreOption): void {
  onMounted(() => {
    if (!place.value) return
    const chart = init(place.value, null, { renderer: 'svg' })
    const draw = () => chart.setOption({ animation: false, ...option() }, { notMerge: true })
    const sized = new ResizeObserver(() => chart.resize())
    const themed = new MutationObserver(draw)
    sized.observe(place.value)
    themed.observe(document.documentElement, { attributeFilter: ['data-theme'] })
    const stop = watch(option, draw, { immediate: true })
    onBeforeUnmount(() => {
      stop()
      sized.disconnect()
      themed.disconnect()
      chart.dispose()
    })
  })
}

/** The step of an axis of bytes: 1, 2 or 5 times a power of ten of the unit that people read, about four to the maximum.
 * `base` is 1000 for disks and 1024 for memory. */
export function sizeStep(most: number, base: number): number {
  const unit = base ** Math.max(0, Math.floor(Math.log(Math.max(1, most)) / Math.log(base)))
  const rough = most / unit / 3
  const power = 10 ** Math.floor(Math.log10(Math.max(rough, 1e-9)))
  return unit * power * ([1, 2, 5, 10].find((step) => step * power >= rough) ?? 10)
}

interface Scale {
  least?: number
  most?: number
  step?: number
}

/** Axes and grid as all charts here have them: thin, quiet, with times below. */
export function frame(start: number, end: number, named: (value: number) => string, scale: Scale): EChartsCoreOption {
  const soft = colour('ink-soft')
  return {
    grid: { left: 8, right: 12, top: 10, bottom: 4, containLabel: true },
    textStyle: { fontFamily: 'Barlow', fontSize: 12 },
    xAxis: {
      type: 'time',
      min: start * 1000,
      max: end * 1000,
      splitNumber: 4,
      axisLine: { lineStyle: { color: colour('fence') } },
      axisLabel: { color: soft, hideOverlap: true, fontSize: 12, formatter: tick },
    },
    yAxis: {
      type: 'value',
      min: 'least' in scale ? scale.least : 0,
      max: scale.most && scale.step ? Math.ceil(scale.most / scale.step) * scale.step : scale.most,
      interval: scale.step,
      splitNumber: 3,
      splitLine: { lineStyle: { color: colour('fence') } },
      axisLabel: { color: soft, formatter: named, fontSize: 12 },
    },
  }
}
