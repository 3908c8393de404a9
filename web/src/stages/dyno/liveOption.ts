/** What the live chart draws: torque on the left axis, power on the right, earlier curves under both. */
import { FONT, type Ink, markLine, type PullMark } from '../../ui/charts/echarts'
import { type Ground, markOf } from '../../ui/setups/marks'
import type { LivePoint } from './useLive'

export interface Earlier {
  position: number
  label: string
  speed_rpm: number[]
  torque: number[]
  power: number[]
  /** The last accepted pull of this setup is drawn stronger than the others. */
  strong: boolean
}
interface Drawn {
  earlier: Earlier[]
  /** What was noticed in this pull, at its speed. */
  marks: PullMark[]
  points: LivePoint[]
  units: [string, string]
  lowRpm: number
  highRpm: number
  ink: Ink
  ground: Ground
}
const ROUND_RPM = 500
const ROUND = 50 // of torque and power, in whichever unit
const POWER_DASH = [6, 4]

/** The ends of an axis at round numbers, with room above; nothing to go by, and the chart finds them itself. */
function ends(values: number[]): { min?: number; max?: number; interval?: number } {
  if (!values.length) return {}
  const max = Math.ceil((Math.max(...values) * 1.04) / ROUND) * ROUND
  const interval = Math.max(ROUND, Math.ceil(max / 5 / ROUND) * ROUND)
  return { min: 0, max: Math.ceil(max / interval) * interval, interval }
}

/** The series that the pull feeds; by their ids they are found again. */
export function liveData(points: LivePoint[]) {
  return [
    { id: 'torque', data: points.map(([rpm, torque]) => [rpm, torque]) },
    { id: 'power', data: points.map(([rpm, , power]) => [rpm, power]) },
  ]
}

export function liveOption({ earlier, marks, points, units, lowRpm, highRpm, ink, ground }: Drawn) {
  const line = { type: 'line', showSymbol: false, silent: true }
  const value = { type: 'value', axisLine: { show: false }, axisTick: { show: false } }
  const label = { color: ink.quiet, fontSize: 14 }
  return {
    animation: false,
    textStyle: { fontFamily: FONT },
    grid: { left: 52, right: 56, top: 30, bottom: 34, outerBoundsMode: 'none' },
    xAxis: {
      ...value,
      min: Math.floor(lowRpm / ROUND_RPM) * ROUND_RPM,
      max: Math.ceil(highRpm / ROUND_RPM) * ROUND_RPM,
      interval: highRpm - lowRpm > 3500 ? 2 * ROUND_RPM : ROUND_RPM,
      splitLine: { show: false },
      axisLabel: { ...label, formatter: (rpm: number) => String(rpm) },
    },
    yAxis: [
      {
        ...value,
        ...ends(earlier.flatMap((curve) => curve.torque)),
        name: units[0],
        nameTextStyle: { color: ink.quiet },
        axisLabel: label,
        splitLine: { lineStyle: { color: ink.line } },
      },
      {
        ...value,
        ...ends(earlier.flatMap((curve) => curve.power)),
        name: units[1],
        nameTextStyle: { color: ink.quiet },
        axisLabel: label,
        splitLine: { show: false },
      },
    ],
    series: [
      ...earlier.flatMap((curve) => {
        const color = markOf(curve.position, ground).colour
        const style = { color, width: curve.strong ? 2 : 1.2, opacity: curve.strong ? 1 : 0.55 }
        return [curve.torque, curve.power].map((values, axis) => ({
          ...line,
          yAxisIndex: axis,
          data: curve.speed_rpm.map((speed, at) => [speed, values[at]]),
          lineStyle: { ...style, type: axis ? POWER_DASH : 'solid' },
        }))
      }),
      ...liveData(points).map((series, axis) => ({
        ...line,
        ...series,
        yAxisIndex: axis,
        ...(axis ? {} : { markLine: markLine(marks, ink) }),
        clip: true,
        z: 10,
        lineStyle: { color: ink.ink, width: 3, type: axis ? POWER_DASH : 'solid' },
      })),
    ],
  }
}
