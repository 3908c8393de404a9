/** Gains by speed: measured drawn through, transferred as dots in a wide band, so that none is taken for the other. */
import type { Schema } from '../../../app/api/client'
import { FONT, type Ink } from '../../../ui/charts/echarts'
import { figure, signed } from '../../../ui/figures'

export const NATURES: Record<string, string> = {
  measured: 'measured',
  transferred: 'transferred, not measured',
}
type Gain = Schema['GainOut']
interface RenderApi {
  coord: (point: [number, number]) => [number, number]
}

function pairs(gain: Gain, values: number[]): [number, number][] {
  return values.map((value, at) => [gain.speed_rpm[at]!, value])
}

function band(gain: Gain, colour: string, dashed: boolean) {
  const [low, high] = [pairs(gain, gain.low_percent), pairs(gain, gain.high_percent)]
  return {
    type: 'custom',
    silent: true,
    clip: true,
    z: 2,
    data: low.slice(0, 1),
    renderItem: (_: unknown, api: RenderApi) => ({
      type: 'polygon',
      shape: { points: [...high.map(api.coord), ...low.map(api.coord).reverse()] },
      style: dashed
        ? { fill: 'none', stroke: colour, lineWidth: 1, lineDash: [2, 4] }
        : { fill: colour, opacity: 0.16 },
    }),
  }
}

export function gainOption(gains: Gain[], colours: string[], ink: Ink) {
  const ends = gains.flatMap((gain) => [...gain.low_percent, ...gain.high_percent])
  const speeds = gains.flatMap((gain) => gain.speed_rpm)
  return {
    animation: false,
    textStyle: { fontFamily: FONT },
    grid: { left: 46, right: 20, top: 14, bottom: 30, outerBoundsMode: 'none' },
    xAxis: {
      type: 'value',
      min: Math.min(...speeds),
      max: Math.max(...speeds),
      axisLine: { show: false },
      axisTick: { show: false },
      splitLine: { show: false },
      axisLabel: {
        color: ink.quiet,
        fontSize: 11,
        hideOverlap: true,
        formatter: (value: number) => figure(value, 0),
      },
    },
    yAxis: {
      type: 'value',
      splitNumber: 4,
      min: Math.floor(Math.min(0, ...ends) / 2) * 2,
      max: Math.ceil(Math.max(0, ...ends) / 2) * 2,
      axisLine: { show: false },
      axisTick: { show: false },
      axisLabel: { color: ink.quiet, fontSize: 11, formatter: (value: number) => signed(value, 0) },
      splitLine: { lineStyle: { color: ink.line, width: 1 } },
    },
    series: gains.flatMap((gain, at) => {
      const isMeasured = gain.nature === 'measured'
      return [
        band(gain, colours[at]!, !isMeasured),
        {
          type: 'line',
          silent: true,
          showSymbol: false,
          z: 4,
          data: pairs(gain, gain.percent),
          lineStyle: {
            color: colours[at]!,
            width: isMeasured ? 2 : 4,
            type: isMeasured ? 'solid' : [0.1, 7],
            cap: isMeasured ? 'butt' : 'round',
          },
        },
      ]
    }),
  }
}
