import { expect, test } from 'vitest'

import type { Ink } from './echarts'
import { shownUnhealthy, unhealthyAreas } from './unhealthyAreas'

const stretch = (setup_id: number, low_rpm: number, high_rpm: number) => ({
  setup_id,
  pull_id: 1,
  low_rpm,
  high_rpm,
  words: '',
})

test('only what lies on the axis and is not hidden is shaded', () => {
  const shown = shownUnhealthy([stretch(1, 2000, 3900), stretch(2, 3500, 3900)], new Set([2]), [3000, 6500])
  expect(shown).toEqual([stretch(1, 3000, 3900)])
  expect(unhealthyAreas(0, [], {} as Ink)).toEqual([])
})

interface Rect {
  shape: { x: number; width: number; height: number }
}

test('a stretch is shaded over the whole panel, and one speed alone is still seen', () => {
  const shown = [stretch(1, 3500, 3900), stretch(1, 4000, 4000)]
  const [series] = unhealthyAreas(0, shown, { hatch: '#888' } as Ink) as [
    { renderItem: (params: object, api: object) => Rect },
  ]
  const draw = (dataIndex: number) =>
    series.renderItem(
      { coordSys: { x: 0, y: 10, width: 400, height: 200 }, dataIndex },
      { coord: ([rpm]: [number, number]) => [rpm / 10, 0] },
    ).shape
  expect(draw(0)).toMatchObject({ x: 350, width: 40, height: 200 })
  expect(draw(1).width).toBe(3)
})
