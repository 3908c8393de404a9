/** Speeds at which a counted pull was not healthy, shaded behind the curves: what they cost is the pull's. */
import type { Schema } from '../../app/api/client'
import type { Ink } from './echarts'

type Unhealthy = Schema['Curves']['unhealthy']

interface RenderApi {
  coord: (point: [number, number]) => [number, number]
}
interface RenderParams {
  coordSys: { x: number; y: number; width: number; height: number }
  dataIndex: number
}

/** Stretches of the setups that are shown, within the speeds of the axis. */
export function shownUnhealthy(
  unhealthy: Unhealthy,
  hidden: ReadonlySet<number>,
  speeds: number[],
): Unhealthy {
  const [first, last] = [speeds[0] ?? 0, speeds.at(-1) ?? 0]
  return unhealthy
    .filter((one) => !hidden.has(one.setup_id))
    .map((one) => ({ ...one, low_rpm: Math.max(one.low_rpm, first), high_rpm: Math.min(one.high_rpm, last) }))
}

/** One custom series of a panel; none where every pull was healthy. */
export function unhealthyAreas(panel: number, shown: Unhealthy, ink: Ink): object[] {
  if (!shown.length) return []
  return [
    {
      type: 'custom',
      xAxisIndex: panel,
      yAxisIndex: panel,
      silent: true,
      z: 1,
      data: shown.map((one) => [one.low_rpm, 0]),
      renderItem: ({ coordSys, dataIndex }: RenderParams, api: RenderApi) => {
        const { low_rpm, high_rpm } = shown[dataIndex]!
        const left = api.coord([low_rpm, 0])[0]
        // A flag on one speed alone still has to be seen.
        const width = Math.max(api.coord([high_rpm, 0])[0] - left, 3)
        return {
          type: 'rect',
          shape: { x: left, y: coordSys.y, width, height: coordSys.height },
          style: { fill: ink.hatch, opacity: 0.3 },
        }
      },
    },
  ]
}
