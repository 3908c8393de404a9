import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'

import FigureRow from './FigureRow.vue'
import type { Figure } from './useBuild'

function figure(more: Partial<Figure> = {}): Figure {
  return {
    key: 'static_ratio',
    group: 'compression',
    label: 'Static ratio',
    unit: ':1',
    digits: 2,
    value: 10.39,
    low: null,
    high: null,
    note: '',
    source: '(Vs + Vc)/Vc',
    missing: [],
    refused: '',
    assumed: [],
    rests_on: ['Bore', 'Stroke'],
    ...more,
  }
}

function value(shown: Figure, before?: Figure): string {
  const step = before && { before, after: shown }
  return mount(FigureRow, { props: { shown, step } }).get('.value').text().replace(/\s+/g, ' ')
}

test('a value stands with its unit, a ratio and an angle without a space', () => {
  expect(value(figure())).toBe('10.39:1')
  expect(value(figure({ value: 2.912, unit: 'L', digits: 3 }))).toBe('2.912 L')
  expect(value(figure({ value: 67, unit: '°', digits: 1 }))).toBe('67.0°')
})

test('what can only be known as a band is shown as one', () => {
  expect(value(figure({ value: null, low: 11.87, high: 14.91, unit: 'bar' }))).toBe('11.87 to 14.91 bar')
})

test('while something is tried, old and new stand side by side, but only where the shown figure moves', () => {
  expect(value(figure({ value: 9.72 }), figure())).toBe('10.39:1 → 9.72:1')
  expect(value(figure({ note: '79 % of the clearance' }), figure())).toBe('10.39:1')
})

test('without a value the reason stands in its place', () => {
  expect(value(figure({ value: null, missing: ['Bore', 'Stroke'] }))).toBe('needs bore, stroke')
  expect(value(figure({ value: null, refused: 'the dome leaves no volume' }))).toBe(
    'The dome leaves no volume',
  )
})

test('a figure on an assumed value says so, and on which', () => {
  const row = mount(FigureRow, { props: { shown: figure({ assumed: ['Compressed gasket thickness'] }) } })
  expect(row.get('.assumed').attributes('title')).toBe('Rests on assumed compressed gasket thickness')
  expect(row.attributes('title')).toBe('(Vs + Vc)/Vc. From bore, stroke')
})
