import { useEventListener } from '@vueuse/core'
import { onScopeDispose, shallowReactive } from 'vue'

/** A key and what it does, as the help lists it. */
export interface KeyBinding {
  /** As KeyboardEvent.key, or `code:Space` for a physical key. */
  key: string
  label: string
  does: string
  press: (event: KeyboardEvent) => void
  release?: (event: KeyboardEvent) => void
  /** While true the key is this binding's alone: from any field, over any dialog, with any modifier. */
  urgent?: () => boolean
}

const bindings = shallowReactive(new Set<KeyBinding>())

function matches(binding: KeyBinding, event: KeyboardEvent): boolean {
  return binding.key.startsWith('code:') ? event.code === binding.key.slice(5) : event.key === binding.key
}

/** Typing belongs to the field it is typed in. */
function isTyping(event: KeyboardEvent): boolean {
  const target = event.target
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  )
}

/** Space and Enter work whatever has the focus; only where nothing has it are they the page's. */
function belongsToFocus(event: KeyboardEvent): boolean {
  const focused = event.target instanceof HTMLElement && event.target !== document.body
  return focused && (event.key === ' ' || event.key === 'Enter')
}

function dispatch(event: KeyboardEvent, phase: 'press' | 'release') {
  if (isTyping(event) || belongsToFocus(event) || event.ctrlKey || event.metaKey || event.altKey) return
  for (const binding of bindings) {
    const act = binding[phase]
    if (act && matches(binding, event)) {
      event.preventDefault()
      if (!event.repeat) act(event)
      return
    }
  }
}

/** Before the page hears of it: a dialog must not take the key of an abort to close itself. */
function dispatchUrgent(event: KeyboardEvent) {
  for (const binding of bindings) {
    if (binding.urgent?.() && matches(binding, event)) {
      event.preventDefault()
      event.stopImmediatePropagation()
      if (!event.repeat) binding.press(event)
      return
    }
  }
}
useEventListener(window, 'keydown', dispatchUrgent, { capture: true })
useEventListener(window, 'keydown', (event) => dispatch(event, 'press'))
useEventListener(window, 'keyup', (event) => dispatch(event, 'release'))

/** Bind keys for as long as the component lives. */
export function useKeys(added: KeyBinding[]) {
  added.forEach((binding) => bindings.add(binding))
  onScopeDispose(() => added.forEach((binding) => bindings.delete(binding)))
}

/** Something is moving: keys and screen belong to who watches it. */
export const isUrgent = () => [...bindings].some((one) => one.urgent?.())

export function boundKeys(): ReadonlySet<KeyBinding> {
  return bindings
}
