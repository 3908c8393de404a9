import { expect, test } from 'vitest'

import { madeOf, type SetupsOptionInput, spread } from './setupsOption'

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
