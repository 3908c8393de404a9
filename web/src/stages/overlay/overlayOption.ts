/** Curves of several tests: torque where all are linked, else each as a share of its own peak. */
import type { Schema } from '../../app/api/client'
import { figure } from '../../ui/figures'
import { FONT, type Ink } from '../../ui/charts/echarts'
import { type Nature, natureLines } from '../../ui/charts/natures'
import { band, type Place } from '../../ui/charts/percentChart'
import type { Mark } from '../../ui/setups/marks'

type Curve = Schema['OverlaidOut']

const pairs = (curve: Curve, values: number[]): Place[] =>
  values.map((value, at) => [curve.speed_rpm[at]!, value])

export function overlayOption(curves: Curve[], marks: Mark[], asShape: boolean, ink: Ink) {
  const plain = { axisLine: { show: false }, axisTick: { show: false } }
  const label = { color: ink.quiet, fontSize: 11, formatter: (value: number) => figure(value, 0) }
  const speeds = curves.flatMap((curve) => curve.speed_rpm)
  return {
    animation: false,
    textStyle: { fontFamily: FONT },
    grid: { left: 46, right: 20, top: 14, bottom: 30, outerBoundsMode: 'none' },
    xAxis: {
      type: 'value',
      min: Math.min(...speeds),
      max: Math.max(...speeds),
      ...plain,
      splitLine: { show: false },
      axisLabel: { ...label, hideOverlap: true },
    },
    yAxis: {
      type: 'value',
      scale: true,
      ...plain,
      axisLabel: label,
      splitLine: { lineStyle: { color: ink.line, width: 1 } },
    },
    series: curves.flatMap((curve, at) => {
      const { colour, dash } = marks[at]!
      const line = {
        type: 'line',
        silent: true,
        showSymbol: false,
        z: 4,
        data: pairs(curve, asShape ? curve.share_percent : curve.torque),
        lineStyle: { color: colour, width: 2, type: dash.length ? dash : 'solid' },
      }
      const lines = natureLines(curve.nature as Nature, line, colour, ink.panel)
      return asShape || !curve.low.length
        ? lines
        : [band(pairs(curve, curve.low), pairs(curve, curve.high), { fill: colour, opacity: 0.16 }), ...lines]
    }),
  }
}
