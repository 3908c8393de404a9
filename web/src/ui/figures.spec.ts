import { expect, test } from 'vitest'

import { channelFigure, figure, signed } from './figures'

test('a missing or impossible number is a dash, never NaN', () => {
  expect(figure(null)).toBe('–')
  expect(figure(Number.NaN)).toBe('–')
  expect(figure(undefined)).toBe('–')
})

test('a difference carries its sign, and nothing rounded to zero does', () => {
  expect(signed(1.84)).toBe('+1.8')
  expect(signed(-1.84)).toBe('−1.8')
  expect(signed(0.04)).toBe('0.0')
  expect(signed(-0.04)).toBe('0.0')
})

test('figures are not grouped, so that rpm reads as one number', () => {
  expect(channelFigure('rpm', 6512.4)).toBe('6512')
  expect(channelFigure('lambda', 0.8716)).toBe('0.87')
})
