import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'

import { vuetify } from '../app/theme'
import QuantityField from './QuantityField.vue'

function show(props: Record<string, unknown>) {
  return mount(QuantityField, { props: { label: 'Bore', ...props }, global: { plugins: [vuetify] } })
}

test('its label names it, its unit stands behind it, and what is typed is handed on as it was typed', async () => {
  const shown = show({ unit: 'mm', modelValue: '86.6' })
  const field = shown.get('input')
  expect(shown.get(`label[for="${field.attributes('id')}"]`).text()).toBe('Bore')
  expect(shown.get('.v-text-field__suffix').text()).toBe('mm')
  await field.setValue('3.41 in')
  expect(shown.emitted('update:modelValue')).toEqual([['3.41 in']])
})

test('a decimal comma is no business of the field: it stays for the server to read or refuse', async () => {
  const shown = show({ modelValue: '' })
  await shown.get('input').setValue('86,6')
  expect(shown.emitted('update:modelValue')).toEqual([['86,6']])
})

test('what the server did not understand stands under it and marks it, and takes nothing away', async () => {
  const shown = show({ modelValue: 'big', wrong: '“big” is not a number.' })
  expect(shown.get('.v-messages').text()).toContain('is not a number')
  expect(shown.get('.v-input').classes()).toContain('v-input--error')
  expect(shown.get<HTMLInputElement>('input').element.value).toBe('big')
  await shown.setProps({ wrong: undefined })
  expect(shown.get('.v-input').classes()).not.toContain('v-input--error')
})
