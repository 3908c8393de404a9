/** The chart of parts along a level: each against the reference with its band. */
import type { Schema } from '../../../app/api/client'
import { figure, signed } from '../../../ui/figures'
import { FONT, type Ink } from '../../../ui/charts/echarts'
import { type Ground, type Mark, markOf } from '../../../ui/setups/marks'

type Regimes = Schema['RegimesOut']
interface RenderApi {
  coord: (point: [number, number]) => [number, number]
}

/** Color and dash of a part by its row: it has no mark, which is a setup's. */
export function partMarks(regimes: Regimes, ground: Ground): Mark[] {
  return regimes.along_parts.map((_, row) => markOf(row, ground))
}

/** Places of a list where a value is known. */
function known(regimes: Regimes, values: (number | null)[]): [number, number][] {
  return values.flatMap((value, at): [number, number][] =>
    value === null ? [] : [[regimes.along[at]!, value]],
  )
}

function band(low: [number, number][], high: [number, number][], colour: string) {
  return {
    type: 'custom',
    silent: true,
    clip: true,
    z: 2,
    data: low.slice(0, 1),
    renderItem: (_: unknown, api: RenderApi) => ({
      type: 'polygon',
      shape: { points: [...high.map(api.coord), ...low.map(api.coord).reverse()] },
      style: { fill: colour, opacity: 0.16 },
    }),
  }
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
    grid: { left: 46, right: 20, top: 14, bottom: 30, outerBoundsMode: 'none' },
    xAxis: {
      type: 'value',
      min: regimes.along[0],
      max: regimes.along.at(-1),
      axisLine: { show: false },
      axisTick: { show: false },
      splitLine: { show: false },
      axisLabel: {
        color: ink.quiet,
        fontSize: 11,
        hideOverlap: true,
        formatter: (value: number) => figure(value, digits),
      },
    },
    yAxis: {
      type: 'value',
      splitNumber: 4,
      // Bands do not count for the axis by themselves.
      min: Math.floor(Math.min(0, ...ends) / 2) * 2,
      max: Math.ceil(Math.max(0, ...ends) / 2) * 2,
      axisLine: { show: false },
      axisTick: { show: false },
      axisLabel: { color: ink.quiet, fontSize: 11, formatter: (value: number) => signed(value, 0) },
      splitLine: { lineStyle: { color: ink.line, width: 1 } },
    },
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
              band(low, high, mark.colour),
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
