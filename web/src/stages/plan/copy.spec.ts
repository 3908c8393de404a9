import { expect, test } from 'vitest'

import { copyOf } from './copy'
import { blankDraft } from './draft'

test('a copy keeps setups and order, and belongs to no test and no day', () => {
  const draft = blankDraft()
  draft.question = 'Which manifold?'
  Object.assign(draft.setups[1]!, {
    id: 7,
    name: 'Long runners',
    position: 3,
    available_at: '2026-11-28T09:00:00Z',
  })
  draft.order = [{ setup: 1, pulls: '2', session: 1, id: 9 }]
  draft.sessions = [{ starts_at: '2026-11-28T09:00:00Z', paid: '8' }]
  const copy = copyOf(draft)
  expect(copy.question).toBe('Which manifold? (copy)')
  expect(copy.setups[1]).toMatchObject({ id: null, name: 'Long runners', position: null, available_at: null })
  expect(copy.order).toEqual([{ setup: 1, pulls: '2', session: 0, id: null }])
  expect(copy.sessions).toEqual([])
  expect(draft.setups[1]!.id).toBe(7)
})
