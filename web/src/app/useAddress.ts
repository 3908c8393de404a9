/** State of a screen that stands in its address: a link leads there, and Back goes back a step. */
import { computed, type WritableComputedRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'

/**
 * A part of the address's query by its name; the usual value leaves no trace there. `step: false` for what is typed
 * letter by letter, which is no step to go back to.
 */
export function useAddress(
  name: string,
  usual = '',
  { step = true }: { step?: boolean } = {},
): WritableComputedRef<string> {
  const route = useRoute()
  const router = useRouter()
  return computed({
    get: () => {
      const found = route.query[name]
      return typeof found === 'string' ? found : usual
    },
    set: (wanted) => {
      const query = { ...route.query, [name]: wanted === usual ? undefined : wanted }
      void (step ? router.push({ query, hash: route.hash }) : router.replace({ query, hash: route.hash }))
    },
  })
}

/** The tab that is shown; one that is not there any more gives way to the first. */
export function useAddressTab(keys: () => string[]): WritableComputedRef<string> {
  const asked = useAddress('tab')
  return computed({
    get: () => (keys().includes(asked.value) ? asked.value : keys()[0]!),
    set: (wanted) => (asked.value = wanted === keys()[0] ? '' : wanted),
  })
}
