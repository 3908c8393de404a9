/** The chart of parts along a level: each against the reference with its band. */
import type { Schema } from '../../../app/api/client'
import { FONT, type Ink } from '../../../ui/charts/echarts'
import { band, percentAxes, type Place } from '../../../ui/charts/percentChart'
import { type Ground, type Mark, markOf } from '../../../ui/setups/marks'

type Regimes = Schema['RegimesOut']

/** Color and dash of a part by its row: it has no mark, which is a setup's. */
export function partMarks(regimes: Regimes, ground: Ground): Mark[] {
  return regimes.along_parts.map((_, row) => markOf(row, ground))
}

/** Places of a list where a value is known. */
function known(regimes: Regimes, values: (number | null)[]): Place[] {
  return values.flatMap((value, at): Place[] => (value === null ? [] : [[regimes.along[at]!, value]]))
}

export function levelOption(regimes: Regimes, marks: Mark[], ink: Ink) {
  const digits = regimes.level_unit === '°' ? 0 : 2
  const drawn = regimes.curves.map((curve, part) => ({
    mark: marks[part]!,
    middle: known(regimes, curve.percent),
    low: known(regimes, curve.low_percent),
    high: known(regimes, curve.high_percent),
  }))
  const ends = drawn.flatMap(({ low, high }) => [...low, ...high].map(([, value]) => value))
  const reached = [...new Set(regimes.reached.map((one) => one.level))]
  return {
    animation: false,
    textStyle: { fontFamily: FONT },
    ...percentAxes(regimes.along[0]!, regimes.along.at(-1)!, ends, digits, ink),
    series: [
      {
        type: 'line',
        silent: true,
        showSymbol: false,
        data: [
          [regimes.along[0], 0],
          [regimes.along.at(-1), 0],
        ],
        lineStyle: { color: ink.ink, width: 1 },
        markLine: {
          silent: true,
          symbol: 'none',
          label: { show: false },
          lineStyle: { color: ink.quiet, width: 1, type: [1, 4] },
          data: reached.map((xAxis) => ({ xAxis })),
        },
      },
      ...drawn.flatMap(({ mark, middle, low, high }) =>
        middle.length
          ? [
              band(low, high, { fill: mark.colour, opacity: 0.16 }),
              {
                type: 'line',
                silent: true,
                showSymbol: false,
                z: 4,
                data: middle,
                lineStyle: {
                  color: mark.colour,
                  width: 2,
                  type: mark.dash.length ? mark.dash : 'solid',
                  cap: 'butt',
                },
              },
            ]
          : [],
      ),
    ],
  }
}
