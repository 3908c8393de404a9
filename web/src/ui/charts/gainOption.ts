/** Gains by speed, each drawn by its nature: what nobody ran has an outlined band in the ink, and no setup's color. */
import type { Schema } from '../../app/api/client'
import type { Mark } from '../setups/marks'
import { FONT, type Ink } from './echarts'
import { isEstimate, type Nature, natureLines } from './natures'
import { band, percentAxes, type Place } from './percentChart'

type Gain = Schema['GainOut']

function pairs(gain: Gain, values: number[]): Place[] {
  return values.map((value, at) => [gain.speed_rpm[at]!, value])
}

function bandOf(gain: Gain, colour: string) {
  const style = isEstimate(gain.nature as Nature)
    ? { fill: 'none', stroke: colour, lineWidth: 1, lineDash: [2, 4] }
    : { fill: colour, opacity: 0.16 }
  return band(pairs(gain, gain.low_percent), pairs(gain, gain.high_percent), style)
}

/** A mark is null for what belongs to no setup: it is drawn in the ink. */
export function gainOption(gains: Gain[], marks: (Mark | null)[], ink: Ink) {
  const ends = gains.flatMap((gain) => [...gain.low_percent, ...gain.high_percent])
  const speeds = gains.flatMap((gain) => gain.speed_rpm)
  return {
    animation: false,
    textStyle: { fontFamily: FONT },
    ...percentAxes(Math.min(...speeds), Math.max(...speeds), ends, 0, ink),
    series: gains.flatMap((gain, at) => {
      const { colour, dash } = marks[at] ?? { colour: ink.ink, dash: [] }
      const line = {
        type: 'line',
        silent: true,
        showSymbol: false,
        z: 4,
        data: pairs(gain, gain.percent),
        lineStyle: { color: colour, width: 2, type: dash.length ? dash : 'solid' },
      }
      return [bandOf(gain, colour), ...natureLines(gain.nature as Nature, line, colour, ink.panel)]
    }),
  }
}
