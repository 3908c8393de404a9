import { expect, test } from 'vitest'

import { madeOf, type SetupsOptionInput, shownCrossovers, spread } from './setupsOption'

test('marks that would lie on each other are pushed apart, and keep their order', () => {
  const [upper, lower, far] = spread([100, 103, 200], 19)
  expect(lower! - upper!).toBeGreaterThanOrEqual(18.9)
  expect((upper! + lower!) / 2).toBeCloseTo(101.5)
  expect(far).toBe(200)
})

function input(madeOf: string[]): Pick<SetupsOptionInput, 'curves' | 'positionOf'> {
  const setups = madeOf.map((words, at) => ({ setup_id: at, made_of: words }))
  const curves = { setups } as SetupsOptionInput['curves']
  return { curves, positionOf: (id: number) => id }
}

test('what no engine ran for is said, of all or by letter', () => {
  expect(madeOf(input(['', '']))).toBe('')
  expect(madeOf(input(['simulated', 'simulated']))).toBe('simulated')
  expect(madeOf(input(['', 'simulated', 'simulated', 'printed figures']))).toBe(
    'B, C simulated; D printed figures',
  )
})

test('crossings are labelled of setups that lead, and no nearer than their labels are wide', () => {
  const cross = (speed_rpm: number, before_id: number, after_id: number) => ({
    speed_rpm,
    before_id,
    after_id,
    half_width_rpm: 50,
    torque: 1,
  })
  const curves = {
    speed_rpm: [3000, 6500],
    leads: [{ setup_ids: [1] }, { setup_ids: [1, 2] }],
    crossovers: [cross(4000, 1, 2), cross(4100, 2, 1), cross(4200, 3, 1), cross(5000, 1, 2)],
  } as unknown as SetupsOptionInput['curves']
  expect(shownCrossovers(curves).map((one) => one.speed_rpm)).toEqual([4000, 5000])
})
