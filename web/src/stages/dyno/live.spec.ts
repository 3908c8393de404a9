import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'

import HoldButton from './HoldButton.vue'
import WindowTape from './WindowTape.vue'

beforeEach(() => {
  vi.useFakeTimers({ toFake: ['requestAnimationFrame', 'cancelAnimationFrame', 'performance'] })
})
afterEach(() => vi.useRealTimers())

test('the button starts only when it was held to the end', async () => {
  const button = mount(HoldButton, { props: { seconds: 0.5 } })
  await button.trigger('pointerdown')
  vi.advanceTimersByTime(300)
  await button.trigger('pointerup')
  vi.advanceTimersByTime(1000)
  expect(button.emitted('held')).toBeUndefined()

  await button.trigger('pointerdown')
  vi.advanceTimersByTime(700)
  expect(button.emitted('held')).toHaveLength(1)
})

test('a slip of the finger lets go', async () => {
  const button = mount(HoldButton, { props: { seconds: 0.5 } })
  await button.trigger('pointerdown')
  await button.trigger('pointerleave')
  vi.advanceTimersByTime(1000)
  expect(button.emitted('held')).toBeUndefined()
})

test('a disabled button cannot be held', async () => {
  const button = mount(HoldButton, { props: { seconds: 0.1, disabled: true } })
  await button.trigger('pointerdown')
  vi.advanceTimersByTime(1000)
  expect(button.emitted('held')).toBeUndefined()
})

const gate = {
  channel: 'oil_temperature',
  name: 'Oil',
  unit: '°C',
  low: 80,
  high: 100,
  value: null,
  side: 'silent',
  like: [],
}

test.each([
  [90, 'inside', 'in its window'],
  [75.2, 'low', '5 under'],
  [112, 'high', '12 over'],
  [null, 'silent', 'no valid signal'],
])('a tape at %s says in words where it stands', (value, side, words) => {
  const tape = mount(WindowTape, { props: { gate, value, side } })
  expect(tape.text()).toContain(words)
  expect(tape.classes('out')).toBe(side !== 'inside')
})

test('a value far outside stays on the tape', () => {
  const tape = mount(WindowTape, { props: { gate, value: 900, side: 'high' } })
  expect(tape.find('.needle').attributes('transform')).toBe('translate(198 0)')
})

test('a gate that holds says when it opens at the present rate', () => {
  const gate = {
    channel: 'oil_temperature',
    name: 'Oil',
    unit: '°C',
    low: 80,
    high: 100,
    value: 68,
    side: 'low',
    like: [],
  }
  const told = (opens: number | null, side = 'low') =>
    mount(WindowTape, { props: { gate, value: 68, side, opens } }).text()
  expect(told(250)).toContain('12 under, opens in about 4 min')
  expect(told(20)).toContain('12 under, opens in under a minute')
  expect(told(null)).not.toContain('opens')
  expect(told(20, 'inside')).not.toContain('opens')
})
