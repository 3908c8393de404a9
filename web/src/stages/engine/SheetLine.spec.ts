import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'

import SheetLine, { type Props } from './SheetLine.vue'
import { vuetify } from '../../app/theme'
import type { Line, Reading } from './useBuild'

function reading(origin: string, text: string, more: Partial<Reading> = {}): Reading {
  return {
    origin,
    text,
    typed: `${text} mm`,
    how: '',
    by: 'Mats Orrey',
    at: '2026-11-19T09:00:00Z',
    chosen: false,
    ...more,
  }
}

function line(readings: Reading[], more: Partial<Line> = {}): Line {
  return {
    key: 'gasket_thickness',
    label: 'Head gasket',
    kind: 'quantity',
    unit: 'mm',
    hint: '',
    choices: [],
    readings,
    used: readings[0]?.origin ?? '',
    contradicts: [],
    blocked: false,
    ...more,
  }
}

function show(props: Props) {
  return mount(SheetLine, { props, global: { plugins: [vuetify] } })
}
const nominal = '[aria-label="Head gasket, nominal"]'
const measured = '[aria-label="Head gasket, measured"]'

test('told and measured stand side by side, and the one that counts is marked', () => {
  const shown = show({
    line: line([reading('measured', '1.65'), reading('assumed', '1.00')], { contradicts: ['reported'] }),
  })
  expect(shown.get<HTMLInputElement>(nominal).element.value).toBe('1.00')
  expect(shown.get<HTMLInputElement>(measured).element.value).toBe('1.65')
  expect(shown.get('.used').find(measured).exists()).toBe(true)
  expect(shown.text()).toContain('≠ reported')
})

test('typing tells what is typed under which origin, and leaving the field keeps it', async () => {
  const shown = show({ line: line([reading('catalog', '1.00')]) })
  await shown.get(measured).setValue('0.065 in')
  expect(shown.emitted('edit')).toEqual([['0.065 in', 'measured', '']])
  await shown.setProps({ edit: { text: '0.065 in', origin: 'measured', how: '' }, understood: '1.65 mm' })
  expect(shown.text()).toContain('= 1.65 mm')
  expect(shown.get<HTMLInputElement>(nominal).element.value).toBe('1.00')
  await shown.get(measured).trigger('blur')
  expect(shown.emitted('keep')).toHaveLength(1)
})

test('what is not understood is told once the field is left, and stays in it', async () => {
  const edit = { text: '6,5', origin: 'measured' as const, how: '' }
  const shown = show({ line: line([]), edit, wrong: 'a comma can mean two things' })
  await shown.get(measured).trigger('focusin')
  expect(shown.text()).not.toContain('a comma')
  await shown.get(measured).trigger('blur')
  expect(shown.text()).toContain('a comma')
  expect(shown.get<HTMLInputElement>(measured).element.value).toBe('6,5')
})

test('values that contradict each other ask for a choice', async () => {
  const readings = [reading('catalog', '1.00'), reading('reported', '1.20')]
  const shown = show({
    line: line(readings, { used: '', blocked: true, contradicts: ['catalog', 'reported'] }),
  })
  expect(shown.text()).toContain('catalog and reported contradict each other')
  await shown.findAll('.use')[1]!.trigger('click')
  expect(shown.emitted('choose')).toEqual([['reported']])
})

test('words that were measured are shown and edited under their own origin', async () => {
  const words = line([reading('measured', 'As cast')], { kind: 'words', label: 'Finish', unit: '' })
  const shown = show({ line: words })
  const field = shown.get<HTMLInputElement>('[aria-label="Finish"]')
  expect(field.element.value).toBe('As cast')
  await field.setValue('Ported')
  expect(shown.emitted('edit')).toEqual([['Ported', 'measured', '']])
})

test('who may only read changes nothing', () => {
  const shown = show({ line: line([reading('reported', '1.00')]), readonly: true })
  expect(shown.get(measured).attributes('readonly')).toBeDefined()
})
