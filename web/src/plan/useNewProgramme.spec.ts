import { expect, test } from 'vitest'

import { useNewProgramme, usualOrder } from './useNewProgramme'

test('the baseline comes first and again at the end', () => {
  expect(usualOrder(3).map((step) => [step.setup, step.pulls])).toEqual([
    [0, '2'],
    [1, '3'],
    [2, '3'],
    [0, '1'],
  ])
})

test('a part of the baseline goes into every setup that has not something else there', () => {
  const plan = useNewProgramme()
  plan.put(1, 'spacer', 9)
  plan.put(0, 'intake_manifold', 1)
  plan.put(0, 'spacer', 8)
  expect(plan.setups.map((setup) => setup.parts)).toEqual([
    { intake_manifold: 1, spacer: 8 },
    { intake_manifold: 1, spacer: 9 },
  ])
})

test('a new setup begins as the baseline, and the order follows', () => {
  const plan = useNewProgramme()
  plan.put(0, 'intake_manifold', 1)
  plan.addSetup()
  expect(plan.setups[2]!.parts).toEqual({ intake_manifold: 1 })
  expect(plan.order).toHaveLength(4)
  plan.dropSetup(1)
  expect(plan.order.map((step) => step.setup)).toEqual([0, 1, 0])
})

test('what is sent holds the parts that were chosen and nothing else', () => {
  const plan = useNewProgramme()
  plan.put(0, 'intake_manifold', 1)
  plan.put(1, 'intake_manifold', '')
  expect(plan.body.value.setups.map((setup) => setup.part_ids)).toEqual([[1], []])
})
