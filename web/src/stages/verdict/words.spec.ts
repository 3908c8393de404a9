import { expect, test } from 'vitest'

import type { Schema } from '../../app/api/client'
import { pointsText } from './choice'
import { chance, standing, undividedWords } from './words'

const verdict = { winner_id: 2, level_state: 'undecided' } as Schema['Verdict']
const placing = (told: Partial<Schema['PlacingOut']>) =>
  ({ setup_id: 1, supported: true, fails: [], with_the_best: false, ...told }) as Schema['PlacingOut']

test('nothing is surer than 99, nor more hopeless than 1', () => {
  expect([99.6, 99, 50.4, 0.4].map(chance)).toEqual(['> 99', '99', '50', '< 1'])
})

test('a setup stands where the verdict puts it', () => {
  expect(standing(placing({ supported: false }), verdict)).toBe('not compared')
  expect(standing(placing({ fails: ['too tall'], with_the_best: true }), verdict)).toBe('out')
  expect(standing(placing({}), verdict)).toBe('behind')
  expect(standing(placing({ with_the_best: true }), verdict)).toBe('undecided')
  const equal = { ...verdict, level_state: 'equal' }
  expect(standing(placing({ with_the_best: true }), equal)).toBe('equal')
  expect(standing(placing({ setup_id: 2, with_the_best: true }), verdict)).toBe('best')
})

test('a wash is said with its bound, and nothing of what is ahead', () => {
  expect(undividedWords('small', 0.72)).toBe('wash within 0.7 %')
  expect(undividedWords('undecided', 3)).toBe('undecided within 3.0 %')
  expect(undividedWords('equal', 0.2)).toBe('equal')
  expect(undividedWords('ahead', 4)).toBe('')
})

test('a drawn duty fits into an address', () => {
  expect(
    pointsText([
      [3000.4, 0.333333],
      [4500, 1],
    ]),
  ).toBe('3000:0.33,4500:1')
})
