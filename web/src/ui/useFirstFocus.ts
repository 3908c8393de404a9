import { onMounted, useTemplateRef } from 'vue'

/**
 * Focus for the first field of a form, given at once and only where nothing has it. The `autofocus` of a field waits
 * until it is seen, and by then takes the focus from whoever has begun to type elsewhere. `name` is the field's ref.
 */
export function useFirstFocus(name: string) {
  const field = useTemplateRef<{ focus: () => void }>(name)
  onMounted(() => {
    if (document.activeElement === document.body) field.value?.focus()
  })
}
