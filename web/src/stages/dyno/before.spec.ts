import { VueQueryPlugin } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'

import { vuetify } from '../../app/theme'
import type { Setup } from '../../app/frame'
import BeforePull from './BeforePull.vue'
import ReadingsPanel from './ReadingsPanel.vue'
import type { NextPull } from './useSession'

const setup = { id: 2, position: 1, letter: 'B', name: 'Trumpets' } as Setup
const due = (id: number, text: string, more: Partial<NextPull['due'][number]> = {}) => ({
  id,
  text,
  moment: 'change',
  asks: '',
  done_by: '',
  done_at: null,
  words: '',
  override_reason: '',
  ...more,
})
const next = (more: Partial<NextPull> = {}): NextPull => ({
  setup_id: 2,
  due: [],
  instruments_due: [],
  measured: [],
  would_move: [],
  because_of_setup: [],
  tank: null,
  swaps: [],
  planned_min: 17,
  change: null,
  to_measure: [],
  purpose: 'warm_up',
  warm_ups_left: 1,
  ...more,
})
const shown = (given: NextPull, mayOperate = true) =>
  mount(BeforePull, {
    props: { session: 1, setup, next: given, mounted: null, mayOperate },
    global: {
      plugins: [VueQueryPlugin, vuetify],
      stubs: { SetupMark: true },
    },
  })

test('what is due stands above what is done, and only a person may tick it', async () => {
  const panel = shown(
    next({
      due: [due(1, 'Guards on', { done_by: 'Mats Orrey', done_at: '2026-11-25T09:00:00Z' }), due(2, 'Leaks')],
    }),
  )
  expect(panel.text()).toContain('Checks outstanding: 1')
  await panel.get('[data-test="seen-to"] button').trigger('click')
  expect(panel.get('[data-test="seen-to"]').text()).toContain('Mats Orrey')
  expect(panel.findAll('input[type="checkbox"]')).toHaveLength(1)
  expect(panel.find('input[type="checkbox"]').attributes('disabled')).toBeUndefined()
  const reader = shown(next({ due: [due(2, 'Leaks')] }), false)
  expect(reader.find('input[type="checkbox"]').exists()).toBe(false)
})

test('a clearance asks for both sides and words ask for words', () => {
  const panel = shown(
    next({ due: [due(1, 'Piston to valve', { asks: 'clearance' }), due(2, 'Lash', { asks: 'words' })] }),
  )
  expect(panel.find('[aria-label="Piston to valve, intake"]').exists()).toBe(true)
  expect(panel.find('[aria-label="Piston to valve, exhaust"]').exists()).toBe(true)
  expect(panel.find('[aria-label="Lash, what was found"]').exists()).toBe(true)
  const timing = shown(next({ due: [due(1, 'Valve timing', { asks: 'phase' })] }))
  expect(timing.find('[aria-label="Valve timing, left"]').exists()).toBe(true)
  expect(timing.find('[aria-label="Valve timing, right"]').exists()).toBe(true)
})

test('the stopwatch runs against the minutes that are planned', () => {
  const begun = new Date(Date.now() - 18 * 60_000).toISOString()
  const swaps = [
    { label: 'Intake manifold', off: 'Middle', on: 'Middle with trumpets', handling: ['6.8 kg'] },
  ]
  const waiting = shown(next({ swaps }))
  expect(waiting.find('[data-test="stopwatch"]').text()).toBe('17:00')
  const running = shown(
    next({
      swaps,
      change: {
        begun_at: begun,
        ended_at: null,
        begun_by: 'Mats Orrey',
        gasket: '',
        sealer: '',
        milling: '',
      },
    }),
  )
  expect(running.find('[data-test="stopwatch"]').text()).toMatch(/^18:0\d of 17:00$/)
  expect(running.find('.clock').classes('late')).toBe(true)
})

test('what the sheet only assumes has a field of its own, and what was measured stands beside the sheet', async () => {
  const panel = shown(
    next({
      swaps: [{ label: 'Head', off: 'A', on: 'B', handling: [] }],
      to_measure: [{ key: 'gasket_thickness', label: 'Compressed gasket thickness' }],
    }),
  )
  expect(panel.text()).not.toContain('Save reading')
  await panel.find('[data-test="to-measure"] button').trigger('click')
  expect(panel.text()).toContain('Save reading')
  const known = shown(
    next({
      measured: [{ key: 'bore', label: 'Bore', measured: '87 mm', sheet: '86.6 mm', origin: 'assumed' }],
    }),
  )
  expect(known.find('[data-test="measured"]').text()).toContain('Bore 87 mm (the sheet has 86.6 mm, assumed)')
})

const gate = (like: number[]) => ({
  gate: {
    channel: 'oil_temperature',
    name: 'Oil',
    unit: '°C',
    low: 80,
    high: 90,
    value: 95,
    side: 'high',
    like,
  },
  value: 95,
  side: 'high',
  opens: null,
})
const readings = (running: boolean, like: number[], channels: string[] = []) =>
  mount(ReadingsPanel, {
    props: {
      channels: channels.map((name) => ({ name, label: name, unit: 'bar' })),
      values: { rpm: 4000, boost: 0.81 },
      tapes: [gate(like)],
      faulty: [],
      running,
    },
  })

test('windows are for the start: while a pull runs they ask for no hand', () => {
  expect(readings(false, []).find('.tape').classes('out')).toBe(true)
  expect(readings(true, []).find('.tape').classes('out')).toBe(false)
  expect(readings(true, []).text()).toContain('for the start')
})

test('a narrowed window names its pulls, and boost is read from two metres where there is any', () => {
  expect(readings(false, [2]).text()).toContain('Start windows set to match pull 2.')
  expect(readings(false, [2, 3]).text()).toContain('Start windows set to match pulls 2, 3.')
  expect(readings(false, [], ['boost']).find('[data-channel="boost"]').text()).toBe('0.81')
  expect(readings(false, []).find('[data-channel="boost"]').exists()).toBe(false)
})
