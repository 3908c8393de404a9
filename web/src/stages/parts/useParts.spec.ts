import { expect, test } from 'vitest'

import { matching, type PartRow } from './useParts'

function part(more: Partial<PartRow>): PartRow {
  return {
    id: 1,
    name: 'Long-runner manifold',
    slot: 'intake_manifold',
    slot_label: 'Intake manifold',
    aliases: [],
    made_from: '',
    modification: '',
    price: '',
    summary: [],
    photo: null,
    archived: false,
    ...more,
  }
}
const LONG = part({ aliases: ['Touring manifold'] })
const CUT = part({ id: 2, name: 'Cut', made_from: 'Long-runner manifold', modification: 'divider cut' })
const CAM = part({ id: 3, name: 'Cam 272', slot: 'camshaft', slot_label: 'Camshaft' })
const ALL = [LONG, CUT, CAM]

test('a part is found by its name, by what else it is called, and by what it was made from', () => {
  expect(matching(ALL, '', 'touring')).toEqual([LONG])
  expect(matching(ALL, '', 'runner short')).toEqual([])
  expect(matching(ALL, '', 'LONG-runner')).toEqual([LONG, CUT])
  expect(matching(ALL, '', 'divider  long')).toEqual([CUT])
})

test('a slot narrows, and nothing sought finds all', () => {
  expect(matching(ALL, 'camshaft', '')).toEqual([CAM])
  expect(matching(ALL, '', '  ')).toEqual(ALL)
})
