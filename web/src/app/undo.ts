import { ref } from 'vue'

/** What was just done, in words, and how to take it back where it can be. */
export interface Done {
  text: string
  onUndo?: () => Promise<unknown>
}

/** What is still to be said, in order. */
export const queue = ref<Done[]>([])

/** Say what was done; for some seconds it can be taken back. */
export function done(text: string, onUndo?: Done['onUndo']) {
  queue.value.push(onUndo ? { text, onUndo } : { text })
}
