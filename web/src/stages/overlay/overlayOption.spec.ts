import { describe, expect, it } from 'vitest'

import { markOf } from '../../ui/setups/marks'
import { overlayOption } from './overlayOption'

const INK = { ink: '#000', quiet: '#555', line: '#ccc', panel: '#fff' } as never
const curve = (nature: string, low: number[]) =>
  ({
    nature,
    speed_rpm: [3000, 3100],
    torque: [200, 210],
    low,
    high: low.map((value) => value + 2),
    share_percent: [95.2, 100],
  }) as never

describe('overlayOption', () => {
  it('draws torque with its band where all are linked', () => {
    const { series } = overlayOption([curve('measured', [199, 209])], [markOf(0)], false, INK)
    expect(series).toHaveLength(2)
    expect((series[1] as { data: unknown }).data).toEqual([
      [3000, 200],
      [3100, 210],
    ])
  })
  it('draws shares of the own peak without a band as a shape, each by its nature', () => {
    const curves = [curve('measured', [199, 209]), curve('figures', [])]
    const { series } = overlayOption(curves, [markOf(0), markOf(1)], true, INK)
    expect(series).toHaveLength(2)
    expect((series[0] as { data: unknown }).data).toEqual([
      [3000, 95.2],
      [3100, 100],
    ])
    expect((series[1] as { symbol: string }).symbol).toBe('emptyCircle')
  })
})
