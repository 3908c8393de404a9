/** The chart of the Curves screen: torque, power, difference and lead strip on one rpm axis. */
import type { Schema } from '../../app/api/client'
import { figure } from '../figures'
import { type Ground, letterOf, markOf, shapePath } from '../setups/marks'
import { FONT, type Ink } from './echarts'
import { type Nature, natureLines } from './natures'
import { shownUnhealthy, unhealthyAreas } from './unhealthyAreas'
import { undividedWords } from '../../stages/verdict/words'

type Curves = Schema['Curves']
type SetupCurves = Schema['SetupCurves']

/** A further quantity in the third panel, in place of the difference. */
export type Overlay = Schema['OverlayOut']

export interface SetupsOptionInput {
  curves: Curves
  /** The same setups under another standard, drawn thin beside. */
  beside?: Curves | null
  overlay?: Overlay | null
  positionOf: (setupId: number) => number
  hidden: ReadonlySet<number>
  showPulls: boolean
  ground: Ground
  ink: Ink
}

interface RenderApi {
  coord: (point: [number, number]) => [number, number]
}
interface RenderParams {
  coordSys: { x: number; y: number; width: number; height: number }
}

const LEFT = 58
const RIGHT = 26
// Shares of the height: torque, power, difference; the strip has a fixed height below.
export const PANELS = [
  { top: 5, height: 31 },
  { top: 41, height: 21 },
  { top: 67, height: 15 },
]
const STRIP_TOP = 86.5
const STRIP_HEIGHT = 26

/** Polygon between two curves, for a 95 % band. */
function band(panel: number, speeds: number[], low: number[], high: number[], colour: string, z: number) {
  return {
    type: 'custom',
    xAxisIndex: panel,
    yAxisIndex: panel,
    silent: true,
    clip: true,
    z,
    data: [[speeds[0], low[0]]],
    renderItem: (_: RenderParams, api: RenderApi) => ({
      type: 'polygon',
      shape: {
        points: [
          ...speeds.map((speed, index) => api.coord([speed, high[index]!])),
          ...speeds.map((speed, index) => api.coord([speed, low[index]!])).reverse(),
        ],
      },
      style: { fill: colour, opacity: 0.14 },
    }),
  }
}

function line(panel: number, speeds: number[], values: number[], colour: string, dash: number[], width = 2) {
  return {
    type: 'line',
    xAxisIndex: panel,
    yAxisIndex: panel,
    data: speeds.map((speed, index) => [speed, values[index]]),
    showSymbol: false,
    silent: true,
    animation: false,
    lineStyle: { color: colour, width, type: dash.length ? dash : 'solid', cap: 'butt' },
    z: width > 1 ? 4 : 3,
  }
}

/** A single pull, thin beside its setup: too thin to be hollow, a simulated one is dotted. */
function pullLines(
  panel: number,
  speeds: number[],
  values: number[],
  colour: string,
  nature: Nature,
): object[] {
  if (nature === 'simulated') return [line(panel, speeds, values, colour, [1, 2], 1)]
  return natureLines(nature, line(panel, speeds, values, colour, [], 0.8), colour, '')
}

/** What is drawn that no engine ran for, or that was only printed: `A and B simulated`. */
export function madeOf({ curves, positionOf }: Pick<SetupsOptionInput, 'curves' | 'positionOf'>): string {
  const letters = new Map<string, string[]>()
  for (const setup of curves.setups.filter((one) => one.made_of)) {
    const letter = letterOf(positionOf(setup.setup_id))
    letters.set(setup.made_of, [...(letters.get(setup.made_of) ?? []), letter])
  }
  return [...letters]
    .map(([words, of]) => (of.length === curves.setups.length ? words : `${of.join(', ')} ${words}`))
    .join('; ')
}

const MARK = 18

/** The setups' marks at the ends of their lines, in place of a legend; pushed apart where lines end together. */
function endMarks(panel: number, input: SetupsOptionInput, ends: { setupId: number; value: number }[]) {
  const { curves, ground, ink } = input
  const last = curves.speed_rpm.at(-1)!
  return {
    type: 'custom',
    xAxisIndex: panel,
    yAxisIndex: panel,
    silent: true,
    clip: false,
    z: 6,
    data: ends.map((end) => [last, end.value]),
    renderItem: (params: { dataIndex: number }, api: RenderApi) => {
      const heights = spread(
        ends.map((end) => api.coord([last, end.value])[1]),
        MARK + 1,
      )
      const mark = markOf(input.positionOf(ends[params.dataIndex]!.setupId), ground)
      const x = api.coord([last, 0])[0] + 3
      const y = heights[params.dataIndex]! - MARK / 2
      return {
        type: 'group',
        children: [
          {
            type: 'path',
            shape: { pathData: shapePath(mark.shape), x, y, width: MARK, height: MARK },
            style: { fill: mark.colour },
          },
          {
            type: 'text',
            style: {
              text: mark.letter,
              x: x + MARK / 2,
              y: y + MARK / 2 + (mark.shape === 'triangle' ? 2 : 0.5),
              align: 'center',
              verticalAlign: 'middle',
              font: `bold 10px ${FONT}`,
              fill: ink.panel,
            },
          },
        ],
      }
    },
  }
}

/** Values moved apart as little as needed to lie at least `gap` from each other; their order stays. */
export function spread(values: number[], gap: number): number[] {
  const order = values.map((_, index) => index).sort((a, b) => values[a]! - values[b]!)
  const moved = [...values]
  for (let round = 0; round < 20; round++) {
    for (let place = 1; place < order.length; place++) {
      const [upper, lower] = [order[place - 1]!, order[place]!]
      const lack = gap - (moved[lower]! - moved[upper]!)
      if (lack > 0) {
        moved[upper]! -= lack / 2
        moved[lower]! += lack / 2
      }
    }
  }
  return moved
}

function seriesOf(input: SetupsOptionInput, setup: SetupCurves) {
  const { curves, ground } = input
  const mark = markOf(input.positionOf(setup.setup_id), ground)
  const speeds = curves.speed_rpm
  const own = (panel: number, values: number[]) =>
    natureLines(
      setup.nature as Nature,
      line(panel, speeds, values, mark.colour, mark.dash),
      mark.colour,
      input.ink.panel,
    )
  const series: object[] = [...own(0, setup.torque), ...own(1, setup.power)]
  const half = setup.torque_half_width
  if (half) {
    const low = setup.torque.map((torque, index) => torque - half[index]!)
    const high = setup.torque.map((torque, index) => torque + half[index]!)
    series.push(band(0, speeds, low, high, mark.colour, 2))
  }
  const over = input.overlay?.setups[setup.setup_id]
  if (input.overlay) {
    if (over) series.push(line(2, speeds, over as number[], mark.colour, mark.dash))
  } else if (setup.difference) {
    series.push(...own(2, setup.difference.value))
    series.push(band(2, speeds, setup.difference.low, setup.difference.high, mark.colour, 2))
  }
  if (input.showPulls) {
    for (const pull of setup.pulls) {
      const nature = pull.nature as Nature
      series.push(
        ...pullLines(0, speeds, pull.torque, mark.colour, nature),
        ...pullLines(1, speeds, pull.power, mark.colour, nature),
      )
    }
  }
  const other = input.beside?.setups.find((one) => one.setup_id === setup.setup_id)
  if (other && input.beside) {
    series.push(
      line(0, input.beside.speed_rpm, other.torque, mark.colour, [1, 3], 1),
      line(1, input.beside.speed_rpm, other.power, mark.colour, [1, 3], 1),
    )
  }
  return series
}

const LABELS_ACROSS = 7

/** Who leads where: the leader's colour, or those of all that lead together, one above the other. */
function leadStrip(input: SetupsOptionInput) {
  const { curves, ground, ink } = input
  return {
    type: 'custom',
    xAxisIndex: 3,
    yAxisIndex: 3,
    silent: true,
    data: curves.leads.map((lead) => [lead.low_rpm, 0]),
    renderItem: (params: RenderParams & { dataIndex: number }, api: RenderApi) => {
      const lead = curves.leads[params.dataIndex]!
      const [left] = api.coord([lead.low_rpm, 0])
      const [right] = api.coord([lead.high_rpm, 0])
      const { y, height } = params.coordSys
      const width = right - left
      const text = (content: string, fill: string, background?: string) => ({
        type: 'text',
        style: {
          text: content,
          x: left + width / 2,
          y: y + height / 2,
          align: 'center',
          verticalAlign: 'middle',
          font: `11px ${FONT}`,
          fill,
          backgroundColor: background,
          padding: background ? [2, 5] : 0,
        },
      })
      const marks = lead.setup_ids.map((id) => markOf(input.positionOf(id), ground))
      const each = height / marks.length
      const bands = marks.map((mark, place) => ({
        type: 'rect',
        shape: { x: left, y: y + place * each, width, height: each },
        style: { fill: mark.colour },
      }))
      const letters = marks.map((mark) => mark.letter).join(' ')
      if (marks.length > 1) {
        const words = `${letters}  ${undividedWords(lead.state, lead.at_most_percent)}`
        const label = width > words.length * 7 + 20 ? words : width > letters.length * 7 + 12 ? letters : ''
        return { type: 'group', children: [...bands, ...(label ? [text(label, ink.ink, ink.ground)] : [])] }
      }
      const gain = `${letters}  +${figure(lead.gain)} ± ${figure(lead.half_width)}`
      return {
        type: 'group',
        children: [...bands, text(width > 120 ? gain : width > 16 ? letters : '', ink.panel)],
      }
    },
  }
}

/** Crossings of setups that lead somewhere, as far apart as their labels need; all of them stand in the verdict. */
export function shownCrossovers(curves: Curves) {
  const leading = new Set(curves.leads.flatMap((lead) => lead.setup_ids))
  const gap = ((curves.speed_rpm.at(-1) ?? 0) - (curves.speed_rpm[0] ?? 0)) / LABELS_ACROSS
  const shown: Curves['crossovers'] = []
  for (const cross of curves.crossovers) {
    const near = shown.at(-1)
    const leads = leading.has(cross.before_id) && leading.has(cross.after_id)
    if (leads && (!near || cross.speed_rpm - near.speed_rpm >= gap)) shown.push(cross)
  }
  return shown
}

function crossoverLabels(input: SetupsOptionInput) {
  const { curves, ink } = input
  const crossovers = shownCrossovers(curves)
  return {
    type: 'custom',
    xAxisIndex: 3,
    yAxisIndex: 3,
    silent: true,
    clip: false,
    data: crossovers.map((cross) => [cross.speed_rpm, 0]),
    renderItem: (params: RenderParams & { dataIndex: number }, api: RenderApi) => {
      const cross = crossovers[params.dataIndex]!
      const [x] = api.coord([cross.speed_rpm, 0])
      const bottom = params.coordSys.y + params.coordSys.height
      const letters = [cross.before_id, cross.after_id].map((id) => markOf(input.positionOf(id)).letter)
      return {
        type: 'group',
        children: [
          { type: 'line', shape: { x1: x, y1: bottom, x2: x, y2: bottom + 6 }, style: { stroke: ink.ink } },
          {
            type: 'text',
            style: {
              text: `${letters.join('×')} ${figure(cross.speed_rpm, 0)} ± ${
                cross.half_width_rpm === null ? 'all' : figure(cross.half_width_rpm, 0)
              }`,
              x,
              y: bottom + 8,
              align: 'center',
              font: `11px ${FONT}`,
              fill: ink.ink,
            },
          },
        ],
      }
    },
  }
}

function thirdPanel({ curves, overlay }: SetupsOptionInput, reference: string): string {
  if (overlay) return `${overlay.name}, ${overlay.unit}`
  const shown = curves.setups.some((setup) => setup.difference)
  return shown ? `Difference to ${reference}, ${curves.torque_unit}, 95 % for all speeds together` : ''
}

export function setupsOption(input: SetupsOptionInput) {
  const { curves, ink } = input
  const speeds = curves.speed_rpm
  const shown = curves.setups.filter((setup) => !input.hidden.has(setup.setup_id))
  const range = { min: speeds[0], max: speeds.at(-1) }
  const unhealthy = shownUnhealthy(curves.unhealthy, input.hidden, speeds)
  const reference = markOf(input.positionOf(curves.reference_id)).letter
  const names = [
    [`Torque, ${curves.torque_unit}`, madeOf(input)].filter(Boolean).join(' · '),
    `Power, ${curves.power_unit}`,
    thirdPanel(input, reference),
    curves.leads.length ? 'Who leads in torque' : '',
  ]
  const grids = [
    ...PANELS.map((panel) => ({
      left: LEFT,
      right: RIGHT,
      top: `${panel.top}%`,
      height: `${panel.height}%`,
    })),
    { left: LEFT, right: RIGHT, top: `${STRIP_TOP}%`, height: STRIP_HEIGHT },
  ]
  return {
    animation: false,
    textStyle: { fontFamily: FONT },
    grid: grids.map((grid) => ({ ...grid, outerBoundsMode: 'none' })),
    xAxis: grids.map((_, index) => ({
      type: 'value',
      gridIndex: index,
      ...range,
      axisLine: { show: false },
      axisTick: { show: false },
      splitLine: { show: false },
      axisLabel: {
        show: index === 3,
        color: ink.quiet,
        fontSize: 11,
        margin: 26,
        customValues: speeds.filter((speed) => speed % 500 === 0),
        formatter: (value: number) => String(value),
      },
    })),
    yAxis: grids.map((_, index) => ({
      type: 'value',
      gridIndex: index,
      name: names[index],
      nameLocation: 'end',
      nameGap: 8,
      nameTextStyle: { align: 'left', color: ink.quiet, fontSize: 11, padding: [0, 0, 0, 2] },
      scale: index < 2 || (index === 2 && Boolean(input.overlay)),
      show: true,
      min: index === 3 ? 0 : undefined,
      max: index === 3 ? 1 : undefined,
      splitNumber: index === 2 ? 2 : 3,
      axisLine: { show: false },
      axisTick: { show: false },
      axisLabel: {
        show: index < 3,
        color: ink.quiet,
        fontSize: 11,
        formatter: (value: number) =>
          index === 2 && value > 0 && !input.overlay ? `+${value}` : String(value).replace('-', '−'),
      },
      splitLine: { show: index < 3, lineStyle: { color: ink.line, width: 1 } },
    })),
    series: [
      ...PANELS.flatMap((_, panel) => unhealthyAreas(panel, unhealthy, ink)),
      ...shown.flatMap((setup) => seriesOf(input, setup)),
      endMarks(
        0,
        input,
        shown.map((setup) => ({ setupId: setup.setup_id, value: setup.torque.at(-1)! })),
      ),
      endMarks(
        1,
        input,
        shown.map((setup) => ({ setupId: setup.setup_id, value: setup.power.at(-1)! })),
      ),
      leadStrip(input),
      crossoverLabels(input),
    ],
  }
}
