/** Gains by speed: measured drawn through, transferred as dots in a wide band, so that none is taken for the other. */
import type { Schema } from '../../../app/api/client'
import { FONT, type Ink } from '../../../ui/charts/echarts'
import { band, percentAxes, type Place } from '../../../ui/charts/percentChart'

export const NATURES: Record<string, string> = {
  measured: 'measured',
  transferred: 'transferred, not measured',
}
type Gain = Schema['GainOut']

function pairs(gain: Gain, values: number[]): Place[] {
  return values.map((value, at) => [gain.speed_rpm[at]!, value])
}

function bandOf(gain: Gain, colour: string) {
  const style =
    gain.nature === 'measured'
      ? { fill: colour, opacity: 0.16 }
      : { fill: 'none', stroke: colour, lineWidth: 1, lineDash: [2, 4] }
  return band(pairs(gain, gain.low_percent), pairs(gain, gain.high_percent), style)
}

export function gainOption(gains: Gain[], colours: string[], ink: Ink) {
  const ends = gains.flatMap((gain) => [...gain.low_percent, ...gain.high_percent])
  const speeds = gains.flatMap((gain) => gain.speed_rpm)
  return {
    animation: false,
    textStyle: { fontFamily: FONT },
    ...percentAxes(Math.min(...speeds), Math.max(...speeds), ends, 0, ink),
    series: gains.flatMap((gain, at) => {
      const isMeasured = gain.nature === 'measured'
      return [
        bandOf(gain, colours[at]!),
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
