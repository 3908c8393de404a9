import { ref } from 'vue'

/** What was just done, in words, and how to take it back. */
export interface Done {
  text: string
  undo: () => Promise<unknown>
}

export const lastDone = ref<Done | null>(null)

/** Say what was done; for some seconds it can be taken back. */
export function done(text: string, undo: Done['undo']) {
  lastDone.value = { text, undo }
}
