import { onMounted, onScopeDispose, type Ref } from 'vue'

/** Calls back whenever the element's size changes. */
export function useResizeObserver(element: Ref<HTMLElement | null>, changed: () => void) {
  let observer: ResizeObserver | null = null
  onMounted(() => {
    if (!element.value) return
    observer = new ResizeObserver(changed)
    observer.observe(element.value)
  })
  onScopeDispose(() => observer?.disconnect())
}
