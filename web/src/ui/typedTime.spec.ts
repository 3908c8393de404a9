import { afterEach, expect, test } from 'vitest'

import { setShop } from './figures'
import { daysLater, fromTyped, toTyped } from './typedTime'

afterEach(() => setShop('UTC', 'USD'))

// Offsets of these zones: the IANA time zone database.
test('what is typed and what is read is the shop’s clock, whatever zone the machine is in', () => {
  setShop('America/Denver', 'USD')
  expect(fromTyped('2026-11-28T09:00')).toBe('2026-11-28T16:00:00.000Z')
  expect(fromTyped('2026-07-01T09:00')).toBe('2026-07-01T15:00:00.000Z')
  expect(toTyped('2026-11-28T16:00:00Z')).toBe('2026-11-28T09:00')
  setShop('Asia/Tokyo', 'JPY')
  expect(fromTyped('2026-11-28T09:00')).toBe('2026-11-28T00:00:00.000Z')
  expect(toTyped('2026-11-27T23:30:00Z')).toBe('2026-11-28T08:30')
})

test('a field that is empty or half typed is no moment', () => {
  expect(fromTyped('')).toBeNull()
  expect(fromTyped('2026-11-28')).toBeNull()
  expect(toTyped(null)).toBe('')
})

test('the next session begins at the same hour, also over a change of the clock', () => {
  setShop('America/Denver', 'USD')
  expect(daysLater(1, '2026-10-31T15:00:00Z')).toBe('2026-11-01T16:00:00.000Z') // 09:00 before and after
  expect(toTyped(daysLater(1))).toMatch(/T09:00$/)
})
