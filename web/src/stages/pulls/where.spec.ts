import { describe, expect, it } from 'vitest'

import { emptyWhere, readWhere, typedNumber } from './where'

describe('what is said of pulls from elsewhere', () => {
  it('reads a decimal comma and leaves what is not typed unknown', () => {
    expect(typedNumber('98,2')).toBe(98.2)
    expect(typedNumber('  ')).toBeNull()
    const { where, wrong } = readWhere({ ...emptyWhere('2026-11-02'), barometer: '98,2' })
    expect(where.barometer).toBe(98.2)
    expect(where.air_temperature).toBeNull()
    expect(wrong).toEqual({})
  })

  it('names the field that holds no number, and a day that is missing', () => {
    const { wrong } = readWhere({ ...emptyWhere(''), humidity_percent: 'dry' })
    expect(wrong).toEqual({ humidity_percent: 'not a number', day: 'say on which day they were made' })
  })
})
