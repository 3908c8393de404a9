/** State of a screen that stands in its address: a link leads there, and Back goes back a step. */
import { computed, type WritableComputedRef } from 'vue'
import { type LocationQueryRaw, type Router, useRoute, useRouter } from 'vue-router'

/** The screen that is on its way in: its script may take a while to come. */
let coming: unknown
export function watchScreens(router: Router) {
  router.beforeEach((to) => void (coming = to.name))
  router.afterEach(() => (coming = undefined))
  router.onError(() => (coming = undefined)) // its script did not come: the screen before stays
}

let settled: Promise<unknown> = Promise.resolve()

/**
 * Changes parts of the address's query, several at once. Changes wait for each other, so that each begins from the
 * address that the one before left: on a slow machine the cursor's own would take back what was just chosen. Parts that
 * are undefined leave no trace. What comes late, when another screen is shown or on its way, changes nothing: it would
 * call that one back.
 */
export function useAddressParts(): (parts: LocationQueryRaw, options?: { step?: boolean }) => void {
  const route = useRoute()
  const router = useRouter()
  const screen = route.name
  return (parts, { step = true } = {}) => {
    const change = () => {
      if (route.name !== screen || (coming ?? screen) !== screen) return undefined
      const to = { query: { ...route.query, ...parts }, hash: route.hash }
      return step ? router.push(to) : router.replace(to)
    }
    settled = settled.then(change, change)
  }
}

/**
 * A part of the address's query by its name; the usual value leaves no trace there. `step: false` for what is typed
 * letter by letter, which is no step to go back to.
 */
export function useAddress(
  name: string,
  usual = '',
  options: { step?: boolean } = {},
): WritableComputedRef<string> {
  const route = useRoute()
  const change = useAddressParts()
  return computed({
    get: () => {
      const found = route.query[name]
      return typeof found === 'string' ? found : usual
    },
    set: (wanted) => change({ [name]: wanted === usual ? undefined : wanted }, options),
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
