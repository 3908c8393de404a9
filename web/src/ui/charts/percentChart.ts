/** What charts of differences in per cent share: their axes about zero, and the band of an interval. */
import { figure, signed } from '../figures'
import type { Ink } from './echarts'

export type Place = [number, number]
interface RenderApi {
  coord: (point: Place) => Place
}

/** The area between the ends of an interval; `style` as the renderer takes it. */
export function band(low: Place[], high: Place[], style: Record<string, unknown>) {
  return {
    type: 'custom',
    silent: true,
    clip: true,
    z: 2,
    data: low.slice(0, 1),
    renderItem: (_: unknown, api: RenderApi) => ({
      type: 'polygon',
      shape: { points: [...high.map(api.coord), ...low.map(api.coord).reverse()] },
      style,
    }),
  }
}

/** Axes over `from` to `to`; `ends` are those of the bands, which do not count for an axis by themselves. */
export function percentAxes(from: number, to: number, ends: number[], digits: number, ink: Ink) {
  const plain = { axisLine: { show: false }, axisTick: { show: false } }
  const label = { color: ink.quiet, fontSize: 11 }
  return {
    grid: { left: 46, right: 20, top: 14, bottom: 30, outerBoundsMode: 'none' },
    xAxis: {
      type: 'value',
      min: from,
      max: to,
      ...plain,
      splitLine: { show: false },
      axisLabel: { ...label, hideOverlap: true, formatter: (value: number) => figure(value, digits) },
    },
    yAxis: {
      type: 'value',
      splitNumber: 4,
      min: Math.floor(Math.min(0, ...ends) / 2) * 2,
      max: Math.ceil(Math.max(0, ...ends) / 2) * 2,
      ...plain,
      axisLabel: { ...label, formatter: (value: number) => signed(value, 0) },
      splitLine: { lineStyle: { color: ink.line, width: 1 } },
    },
  }
}
