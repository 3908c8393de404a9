import { expect, test } from 'vitest'

import { emptyControl } from './controlMap'
import { emptyMap, sentMap, typedMap } from './standMap'

test('what was saved comes back as it was, through what is typed', () => {
  const saved = {
    rate_hz: 50,
    inertia: { torque: 'included', kg_m2: 0.4 },
    sources: [{ kind: 'modbus', name: 'brake', host: '192.0.2.1', port: 5020 }],
    channels: [{ name: 'rpm', unit: 'rpm', register: 100, missing: [65535, -1], scale: 0.1 }],
    weather: [],
  }
  expect(sentMap(typedMap(saved))).toEqual(saved)
})

test('commands come back as they were, and what may be missing is not sent where nothing was typed', () => {
  const at = (register: number, more = {}) => ({ source: 'brake', register, ...more })
  const control = {
    watchdog_s: 1.5,
    state: at(110, { idle: [0], sweeping: [2, 3], type: 'float32' }),
    start: at(12, { release: 0 }),
    abort: at(0, { table: 'coil' }),
    watchdog: at(14),
  }
  const saved = {
    rate_hz: 50,
    inertia: { torque: 'included' },
    sources: [{ kind: 'modbus', name: 'brake', host: '192.0.2.1' }],
    channels: [],
    weather: [],
    control,
  }
  const typed = typedMap({ ...saved, control: { ...control, conformed: 'a digest' } })
  expect(sentMap(typed)).toEqual(saved)
  typed.control = emptyControl('brake')
  const sent = sentMap(typed) as { control: object }
  expect(Object.keys(sent.control)).toEqual(['watchdog_s', 'state', 'start', 'abort', 'watchdog'])
})

test('what is left empty is not sent, and what is no number goes as it was typed', () => {
  const typed = emptyMap()
  typed.sources[0]!.port = 'five'
  typed.channels[1]!.scale = '0,1'
  typed.channels[1]!.offset = ''
  const sent = sentMap(typed) as { sources: object[]; channels: object[] }
  expect(sent.sources).toEqual([{ kind: 'modbus', name: 'stand', port: 'five' }])
  expect(sent.channels[1]).toEqual({ name: 'torque', scale: 0.1 })
})
