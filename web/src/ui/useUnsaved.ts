/** What was typed and not saved yet: it stays in this window through leaving, a reload and a failed save. */
import { StorageSerializers, useSessionStorage } from '@vueuse/core'
import type { RemovableRef } from '@vueuse/core'

const PREFIX = 'unsaved '
const TYPIST = 'typed by'

/** Under which name the window's storage has it. */
export const unsavedKey = (name: string) => PREFIX + name

/**
 * As a ref, under a name that says which form of which thing; setting it to what it began as forgets it.
 * A form of many fields is an object: fields that came with a later version take their empty value.
 */
export function useUnsaved(name: string, empty: string): RemovableRef<string>
export function useUnsaved<T extends object>(name: string, empty: T): RemovableRef<T>
export function useUnsaved<T extends string | object>(name: string, empty: T) {
  return useSessionStorage<T>(unsavedKey(name), empty, { writeDefaults: false, mergeDefaults: true })
}

/** An edit of something that is there already: null while nobody edits it; found again, it is open as it was left. */
export function useUnsavedEdit<T extends object>(name: string): RemovableRef<T | null> {
  return useSessionStorage<T | null>(unsavedKey(name), null, {
    writeDefaults: false,
    serializer: StorageSerializers.object,
  })
}

/** Whoever signs in finds what was typed here, unless somebody else typed it. */
export function unsavedIsOf(username: string) {
  const before = sessionStorage.getItem(TYPIST)
  if (before !== null && before !== username) forgetUnsaved()
  sessionStorage.setItem(TYPIST, username)
}

/** Nothing of one person is left for the next at this machine. */
export function forgetUnsaved() {
  for (const key of Object.keys(sessionStorage)) if (key.startsWith(PREFIX)) sessionStorage.removeItem(key)
}
