import { useTitle as useDocumentTitle } from '@vueuse/core'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'

/** The title of the window: the screen first, since that is what a narrow tab shows. */
export function useTitle(screen: MaybeRefOrGetter<string>) {
  useDocumentTitle(computed(() => [toValue(screen), 'Torvix'].filter(Boolean).join(' · ')))
}
