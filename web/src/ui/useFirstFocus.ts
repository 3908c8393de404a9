import { useTemplateRef, watch } from 'vue'

/**
 * Focus for the first field of a form, given as soon as the field is there, and never taken from whoever types in
 * another. The `autofocus` of a field waits until it is seen, and by then takes the focus from the next field.
 * `name` is the field's ref. What is returned is for a dialog, whose fields cannot have focus before it has opened:
 * `@after-enter`.
 */
export function useFirstFocus(name: string) {
  const field = useTemplateRef<{ focus: () => void } | null>(name)
  function focusFirst() {
    if (!document.activeElement?.matches('input, textarea')) field.value?.focus()
  }
  watch(field, focusFirst, { flush: 'post', immediate: true })
  return focusFirst
}
