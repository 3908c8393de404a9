import { beforeEach, expect, test } from 'vitest'
import { effectScope, nextTick } from 'vue'

import { forgetKept, useKept } from './useKept'

function opened(name: string) {
  const scope = effectScope()
  const kept = scope.run(() => useKept(name, ''))!
  return { kept, close: () => scope.stop() }
}
beforeEach(() => sessionStorage.clear())

test('what was typed is there when the form is opened again', async () => {
  const first = opened('note of 3')
  first.kept.value = 'smoke on the overrun'
  await nextTick()
  first.close()
  expect(opened('note of 3').kept.value).toBe('smoke on the overrun')
  expect(opened('note of 4').kept.value).toBe('')
})

test('a form that only was looked at leaves nothing behind', async () => {
  effectScope().run(() => useKept('part', { name: '', price: '' }))
  await nextTick()
  expect(Object.keys(sessionStorage)).toEqual([])
})

test('a field that the form has got since then begins empty', async () => {
  const before = effectScope().run(() => useKept('part', { name: '' }))!
  before.value = { name: 'Long runner' }
  await nextTick()
  const now = effectScope().run(() => useKept('part', { name: '', price: '' }))!
  expect(now.value).toEqual({ name: 'Long runner', price: '' })
})

test('who signs out takes it along, and nothing else', async () => {
  sessionStorage.setItem('other', 'stays')
  opened('note of 3').kept.value = 'mine'
  await nextTick()
  forgetKept()
  expect(Object.keys(sessionStorage)).toEqual(['other'])
})
