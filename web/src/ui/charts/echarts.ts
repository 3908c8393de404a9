/** The parts of the chart library that are used; loaded with the first screen that draws. */
import { CustomChart, LineChart, ScatterChart } from 'echarts/charts'
import { GridComponent, MarkLineComponent } from 'echarts/components'
import { init, use } from 'echarts/core'
import { CanvasRenderer } from 'echarts/renderers'

use([LineChart, CustomChart, ScatterChart, GridComponent, MarkLineComponent, CanvasRenderer])

export { init }
export type { EChartsType } from 'echarts/core'

/** Theme tokens as the chart needs them: plain colours. */
export interface Ink {
  ink: string
  quiet: string
  line: string
  ground: string
  panel: string
  hatch: string
}

export function inkOf(element: HTMLElement): Ink {
  const style = getComputedStyle(element)
  const token = (name: string) => style.getPropertyValue(`--${name}`).trim()
  return {
    ink: token('ink'),
    quiet: token('quiet'),
    line: token('line'),
    ground: token('ground'),
    panel: token('panel'),
    hatch: token('hatch'),
  }
}

export const FONT = 'B612, sans-serif'

/** What was noticed in a pull, at its speed. */
export interface PullMark {
  rpm: number
  label: string
}
/** Upright lines at the speeds where something was noticed, each with its word. */
export function markLine(marks: PullMark[], ink: Ink) {
  return {
    silent: true,
    animation: false,
    symbol: 'none',
    lineStyle: { color: ink.ink, width: 1.5, type: [2, 3] },
    label: { color: ink.ink, fontFamily: FONT, formatter: '{b}', position: 'end' },
    data: marks.map((mark) => ({ name: mark.label, xAxis: mark.rpm })),
  }
}
