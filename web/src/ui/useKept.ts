/** What was typed and not saved yet: kept in this window through leaving, a reload and a failed save. */
import { useSessionStorage } from '@vueuse/core'
import type { RemovableRef } from '@vueuse/core'

const PREFIX = 'unsaved '

/**
 * As a ref, under a name that says which form of which thing; setting it to what it began as forgets it.
 * A form of many fields keeps an object: fields that came with a later version take their empty value.
 */
export function useKept(name: string, empty: string): RemovableRef<string>
export function useKept<T extends object>(name: string, empty: T): RemovableRef<T>
export function useKept<T extends string | object>(name: string, empty: T) {
  return useSessionStorage<T>(PREFIX + name, empty, { writeDefaults: false, mergeDefaults: true })
}

/** Nothing of one person is left for the next at this machine. */
export function forgetKept() {
  for (const key of Object.keys(sessionStorage)) if (key.startsWith(PREFIX)) sessionStorage.removeItem(key)
}
