import { useQueryClient } from '@tanstack/vue-query'
import { type MaybeRefOrGetter, onScopeDispose, ref, shallowRef, toValue, watch } from 'vue'

export interface LiveFrame {
  type: 'frame'
  n: number
  state: string
  pull: number | null
  values: Record<string, number>
  faulty: string[]
  sides: Record<string, string>
  points: [number, number][]
}
interface LinkChange {
  type: 'link'
  connected: boolean
  why: string
}
interface CommandAnswer {
  type: 'command'
  pull: number | null
  name: string
  ok: boolean
  why: string
}
interface Other {
  type: 'pull' | 'session' | 'database_lost'
}
type Message = LiveFrame | LinkChange | CommandAnswer | Other

/** The live stream of a programme's stand, for as long as `open` is true. */
export function useLive(
  programme: MaybeRefOrGetter<number>,
  open: MaybeRefOrGetter<boolean>,
  onFrame: (frame: LiveFrame) => void,
) {
  const queries = useQueryClient()
  const frame = shallowRef<LiveFrame | null>(null)
  const streaming = ref(false)
  const refused = ref('') // why the stand did not take the last command
  let source: EventSource | null = null

  function take(message: Message) {
    switch (message.type) {
      case 'frame':
        frame.value = message
        onFrame(message)
        return
      case 'link':
        if (!message.connected) frame.value = null
        void queries.invalidateQueries({ queryKey: ['stand'] })
        return
      case 'command':
        refused.value = message.ok ? '' : `The stand refused to ${message.name}: ${message.why}.`
        break
      case 'database_lost':
        refused.value =
          'The database does not answer. What the stand sends is kept; the picture comes back with it.'
        return
    }
    void queries.invalidateQueries()
  }

  function close() {
    source?.close()
    source = null
    streaming.value = false
    frame.value = null
  }
  watch(
    [() => toValue(programme), () => toValue(open)],
    ([id, wanted]) => {
      close()
      if (!wanted) return
      source = new EventSource(`/api/programmes/${id}/live`)
      source.onopen = () => {
        streaming.value = true
        void queries.invalidateQueries({ queryKey: ['stand'] })
      }
      source.onerror = () => (streaming.value = false) // the browser connects again by itself
      source.onmessage = (event: MessageEvent<string>) => take(JSON.parse(event.data) as Message)
    },
    { immediate: true },
  )
  onScopeDispose(close)
  return { frame, streaming, refused }
}
