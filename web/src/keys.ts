import { onScopeDispose, shallowReactive } from 'vue'

/** A key and what it does, as the help lists it. */
export interface KeyBinding {
  /** As KeyboardEvent.key, or `code:Space` for a physical key. */
  key: string
  label: string
  does: string
  press: (event: KeyboardEvent) => void
  release?: (event: KeyboardEvent) => void
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

function dispatch(event: KeyboardEvent, phase: 'press' | 'release') {
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return
  for (const binding of bindings) {
    const act = binding[phase]
    if (act && matches(binding, event)) {
      event.preventDefault()
      if (!event.repeat) act(event)
      return
    }
  }
}
window.addEventListener('keydown', (event) => dispatch(event, 'press'))
window.addEventListener('keyup', (event) => dispatch(event, 'release'))

/** Bind keys for as long as the component lives. */
export function useKeys(added: KeyBinding[]) {
  added.forEach((binding) => bindings.add(binding))
  onScopeDispose(() => added.forEach((binding) => bindings.delete(binding)))
}

export function boundKeys(): ReadonlySet<KeyBinding> {
  return bindings
}
