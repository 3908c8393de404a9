import { expect, test } from 'vitest'

import { markOf, shapePath } from './marks'

test('no two of the first six setups share letter, colour, shape or dash', () => {
  const marks = [0, 1, 2, 3, 4, 5].map((position) => markOf(position))
  for (const key of ['letter', 'colour', 'shape', 'dash'] as const) {
    expect(new Set(marks.map((mark) => JSON.stringify(mark[key]))).size).toBe(6)
  }
})

test('the seventh setup repeats the first with a ring round it and another dash', () => {
  expect(markOf(6)).toEqual({ ...markOf(0), letter: 'G', ringed: true, dash: [18, 4] })
})

test('no two of twelve setups share a dash', () => {
  const dashes = Array.from({ length: 12 }, (_, position) => JSON.stringify(markOf(position).dash))
  expect(new Set(dashes).size).toBe(12)
})

test('every shape is a closed path', () => {
  for (let position = 0; position < 6; position++) {
    expect(shapePath(markOf(position).shape)).toMatch(/^M.*Z$/)
  }
})
