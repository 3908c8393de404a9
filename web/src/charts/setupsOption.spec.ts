import { expect, test } from 'vitest'

import { spread } from './setupsOption'

test('marks that would lie on each other are pushed apart, and keep their order', () => {
  const [upper, lower, far] = spread([100, 103, 200], 19)
  expect(lower! - upper!).toBeGreaterThanOrEqual(18.9)
  expect((upper! + lower!) / 2).toBeCloseTo(101.5)
  expect(far).toBe(200)
})
