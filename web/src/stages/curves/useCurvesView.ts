/** What of the curves is looked at: kept in the address, so that a link shows the same and Back goes back a step. */
import { watchDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'

import { useAddress } from '../../app/useAddress'

const AFTER_MS = 300 // the cursor follows the hand; the address follows the cursor once it rests

export function useCurvesView() {
  const flag = (name: string) => {
    const text = useAddress(name)
    return computed({ get: () => text.value === '1', set: (on: boolean) => (text.value = on ? '1' : '') })
  }
  const against = useAddress('against')
  /** The setup that differences are to; 0 is the baseline. */
  const reference = computed({
    get: () => Number(against.value) || 0,
    set: (id: number) => (against.value = id ? String(id) : ''),
  })
  const hiddenText = useAddress('hidden')
  /** Setups that are not drawn. */
  const hidden = computed({
    get: () => new Set(hiddenText.value.split(',').filter(Boolean).map(Number)),
    set: (ids: Set<number>) => (hiddenText.value = [...ids].sort((a, b) => a - b).join(',')),
  })
  const cursorText = useAddress('cursor', '', { step: false })
  /** Where the cursor stands, rpm; 0 before there are curves. */
  const cursor = ref(Number(cursorText.value) || 0)
  watchDebounced(cursor, (rpm) => (cursorText.value = rpm ? String(rpm) : ''), { debounce: AFTER_MS })

  return {
    reference,
    hidden,
    cursor,
    /** What the lower chart shows: a difference, or an overlay by its key. */
    overlayKey: useAddress('lower'),
    /** Single pulls beside the means. */
    showPulls: flag('pulls'),
    /** Observed beside corrected, or the test's standard beside observed. */
    both: flag('both'),
    toggle: (id: number) => {
      const next = new Set(hidden.value)
      if (!next.delete(id)) next.add(id)
      hidden.value = next
    },
  }
}
