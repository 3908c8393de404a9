import { beforeEach, expect, test } from 'vitest'
import { effectScope, nextTick } from 'vue'

import { forgetUnsaved, unsavedIsOf, useUnsaved, useUnsavedEdit } from './useUnsaved'

function opened(name: string) {
  const scope = effectScope()
  const text = scope.run(() => useUnsaved(name, ''))!
  return { text, close: () => scope.stop() }
}
beforeEach(() => sessionStorage.clear())

test('what was typed is there when the form is opened again', async () => {
  const first = opened('note of 3')
  first.text.value = 'smoke on the overrun'
  await nextTick()
  first.close()
  expect(opened('note of 3').text.value).toBe('smoke on the overrun')
  expect(opened('note of 4').text.value).toBe('')
})

test('a form that only was looked at leaves nothing behind', async () => {
  effectScope().run(() => useUnsaved('part', { name: '', price: '' }))
  await nextTick()
  expect(Object.keys(sessionStorage)).toEqual([])
})

test('a field that the form has got since then begins empty', async () => {
  const before = effectScope().run(() => useUnsaved('part', { name: '' }))!
  before.value = { name: 'Long runner' }
  await nextTick()
  const now = effectScope().run(() => useUnsaved('part', { name: '', price: '' }))!
  expect(now.value).toEqual({ name: 'Long runner', price: '' })
})

test('who signs out takes it along, and nothing else', async () => {
  sessionStorage.setItem('other', 'stays')
  opened('note of 3').text.value = 'mine'
  await nextTick()
  forgetUnsaved()
  expect(Object.keys(sessionStorage)).toEqual(['other'])
})

test('who signs in again finds it, somebody else does not', async () => {
  unsavedIsOf('mats')
  opened('note of 3').text.value = 'mine'
  await nextTick()
  unsavedIsOf('mats')
  expect(opened('note of 3').text.value).toBe('mine')
  unsavedIsOf('ines')
  expect(opened('note of 5').text.value).toBe('')
  expect(Object.keys(sessionStorage).filter((key) => key.startsWith('unsaved'))).toEqual([])
})

test('an edit that was left is open again as it was left, and one that was saved is not', async () => {
  const open = () => effectScope().run(() => useUnsavedEdit<{ name: string }>('part 7'))!
  const edit = open()
  expect(edit.value).toBeNull()
  edit.value = { name: 'Long' }
  edit.value.name = 'Longer'
  await nextTick()
  expect(open().value).toEqual({ name: 'Longer' })
  edit.value = null
  await nextTick()
  expect(open().value).toBeNull()
})
