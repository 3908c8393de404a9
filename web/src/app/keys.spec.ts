import { effectScope } from 'vue'
import { expect, test, vi } from 'vitest'

import { boundKeys, useKeys } from './keys'

function press(key: string, target: EventTarget = window, more: KeyboardEventInit = {}) {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more })
  target.dispatchEvent(event)
  return event
}

test('a bound key acts while its screen lives, and no longer', () => {
  const act = vi.fn()
  const scope = effectScope()
  scope.run(() => useKeys([{ key: 'k', label: 'K', does: 'Keep', press: act }]))
  expect(press('k').defaultPrevented).toBe(true)
  expect(act).toHaveBeenCalledTimes(1)
  scope.stop()
  expect(boundKeys().size).toBe(0)
  press('k')
  expect(act).toHaveBeenCalledTimes(1)
})

test('typing belongs to the field it is typed in', () => {
  const act = vi.fn()
  const scope = effectScope()
  scope.run(() => useKeys([{ key: 'k', label: 'K', does: 'Keep', press: act }]))
  const field = document.body.appendChild(document.createElement('input'))
  press('k', field)
  press('k', window, { ctrlKey: true })
  expect(act).not.toHaveBeenCalled()
  scope.stop()
})

test('a held key presses once and releases once', () => {
  const down = vi.fn()
  const up = vi.fn()
  const scope = effectScope()
  scope.run(() => useKeys([{ key: 'code:Space', label: 'Space', does: 'Hold', press: down, release: up }]))
  press(' ', window, { code: 'Space' })
  press(' ', window, { code: 'Space', repeat: true })
  window.dispatchEvent(new KeyboardEvent('keyup', { key: ' ', code: 'Space' }))
  expect([down.mock.calls.length, up.mock.calls.length]).toEqual([1, 1])
  scope.stop()
})

test('an urgent key acts from every control, over a dialog that would take it, with any modifier', () => {
  const abort = vi.fn()
  const close = vi.fn()
  let moving = true
  const scope = effectScope()
  const binding = { key: 'Escape', label: 'Esc', does: 'Abort', press: abort, urgent: () => moving }
  scope.run(() => useKeys([binding]))
  const dialog = document.body.appendChild(document.createElement('div'))
  dialog.addEventListener('keydown', close)
  const controls = ['input', 'textarea', 'select', 'button', 'a'].map((name) =>
    dialog.appendChild(document.createElement(name)),
  )
  controls.forEach((control) => press('Escape', control))
  press('Escape', controls[0], { ctrlKey: true })
  expect([abort.mock.calls.length, close.mock.calls.length]).toEqual([6, 0])
  moving = false
  press('Escape', controls[0])
  expect([abort.mock.calls.length, close.mock.calls.length]).toEqual([6, 1])
  scope.stop()
})

test('space and enter belong to whatever has the focus', () => {
  const start = vi.fn()
  const scope = effectScope()
  scope.run(() =>
    useKeys([
      { key: 'code:Space', label: 'Space', does: 'Hold', press: start },
      { key: 'Enter', label: 'Enter', does: 'Hold', press: start },
    ]),
  )
  const abort = document.body.appendChild(document.createElement('button'))
  press(' ', abort, { code: 'Space' })
  press('Enter', abort)
  expect(start).not.toHaveBeenCalled()
  press(' ', document.body, { code: 'Space' })
  press('Enter', document.body)
  expect(start).toHaveBeenCalledTimes(2)
  scope.stop()
})
