import { expect, test } from 'vitest'

import type { Schema } from '../api/client'
import { pointsText } from './choice'
import { chance, standing } from './words'

const verdict = { winner_id: 2 } as Schema['Verdict']
const placing = (told: Partial<Schema['PlacingOut']>) =>
  ({ setup_id: 1, supported: true, fails: [], with_the_best: false, ...told }) as Schema['PlacingOut']

test('nothing is surer than 99, nor more hopeless than 1', () => {
  expect([99.6, 99, 50.4, 0.4].map(chance)).toEqual(['> 99', '99', '50', '< 1'])
})

test('a setup stands where the verdict puts it', () => {
  expect(standing(placing({ supported: false }), verdict)).toBe('not compared')
  expect(standing(placing({ fails: ['too tall'], with_the_best: true }), verdict)).toBe('out')
  expect(standing(placing({}), verdict)).toBe('behind')
  expect(standing(placing({ with_the_best: true }), verdict)).toBe('wash')
  expect(standing(placing({ setup_id: 2, with_the_best: true }), verdict)).toBe('best')
})

test('a drawn duty fits into an address', () => {
  expect(
    pointsText([
      [3000.4, 0.333333],
      [4500, 1],
    ]),
  ).toBe('3000:0.33,4500:1')
})
