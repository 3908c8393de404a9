import { useResizeObserver } from '@vueuse/core'
import { onMounted, onScopeDispose, type Ref, shallowRef, watch } from 'vue'

import { type EChartsType, init } from './echarts'

/** A chart in an element: made when the element is there, redrawn when its options change, gone with the component. */
export function useChart(element: Ref<HTMLElement | null>, options: () => Record<string, unknown> | null) {
  const chart = shallowRef<EChartsType | null>(null)
  const drawn = shallowRef(0) // counts redraws, for overlays that need the chart's coordinates

  function draw() {
    const wanted = options()
    if (!chart.value || !wanted) return
    chart.value.setOption(wanted, { notMerge: true })
    drawn.value++
  }
  onMounted(async () => {
    // Text drawn before the fonts are there would stay in another face.
    await document.fonts.ready
    if (!element.value) return
    chart.value = init(element.value)
    draw()
  })
  watch(options, draw)
  useResizeObserver(element, () => {
    chart.value?.resize()
    drawn.value++
  })
  onScopeDispose(() => chart.value?.dispose())
  return { chart, drawn }
}
