import { useQueryClient } from '@tanstack/vue-query'
import { type MaybeRefOrGetter, onScopeDispose, ref, shallowRef, toValue, watch } from 'vue'
import { useEventListener } from '@vueuse/core'

import { refresh, STANDS_STILL } from '../../app/api/queries'

/** Speed in rpm, torque and power in the person's units. */
export type LivePoint = [rpm: number, torque: number, power: number]

export interface LiveFrame {
  type: 'frame'
  n: number
  state: string
  pull: number | null
  values: Record<string, number>
  faulty: string[]
  sides: Record<string, string>
  /** Seconds until a gate that holds opens at the present rate; one that is not on its way is missing. */
  opens: Record<string, number>
  points: LivePoint[]
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
interface LimitTrip {
  type: 'trip'
  key: string
  why: string
  stopped: boolean
}
interface Unseen {
  type: 'unseen'
  why: string
}
interface NotStopped {
  type: 'not_stopped'
  /** Empty once it has stopped after all. */
  why: string
}
interface Other {
  type: 'pull' | 'session' | 'database_lost' | 'unasked' | 'ended'
}
type Message = LiveFrame | LinkChange | CommandAnswer | LimitTrip | NotStopped | Unseen | Other

const FIRST_PAUSE = 1_000 // ms
const LONGEST_PAUSE = 10_000
const TOGETHER = 100 // ms: what is said of one moment is asked after once

/** The live stream of a programme's stand, for as long as `open` is true. */
export function useLive(
  programme: MaybeRefOrGetter<number>,
  open: MaybeRefOrGetter<boolean>,
  onFrame: (frame: LiveFrame) => void,
  /** The stream stands again after a pause: what was shown may have a hole. */
  onResume: () => void = () => undefined,
) {
  const queries = useQueryClient()
  const frame = shallowRef<LiveFrame | null>(null)
  const streaming = ref(false)
  const refused = ref('') // why the stand did not take the last command
  const tripped = ref('') // the limit that stopped the pull, at once
  const unseen = ref('') // limits that are not watched any more, while the pull goes on
  const notStopped = ref('') // the stand was told to stop and goes on
  let source: EventSource | null = null
  let again = 0
  let asking = 0
  let pause = FIRST_PAUSE
  let databaseLost = false

  function take(message: Message) {
    if (databaseLost && message.type !== 'database_lost') {
      databaseLost = false
      refused.value = ''
    }
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
      case 'trip':
        tripped.value = message.stopped
          ? message.why
          : `${message.why} This stand takes no commands: stop it at its console.`
        return
      case 'unseen':
        unseen.value = message.why
        return
      case 'not_stopped':
        notStopped.value = message.why
        void queries.invalidateQueries({ queryKey: ['stand'] })
        return
      case 'unasked':
        refused.value = 'A sweep ran at the console that was not armed here: it was not recorded.'
        break
      case 'ended':
        // Signed out, another role, no right to see this test any more, or another test has the stand.
        frame.value = null
        lose()
        void queries.invalidateQueries()
        return
      case 'database_lost':
        databaseLost = true
        refused.value =
          'The database does not answer. What the stand sends is kept; the picture comes back with it.'
        return
    }
    askSoon()
  }

  /** A pull that begins or ends is said of in several messages. */
  function askSoon() {
    if (asking) return
    asking = window.setTimeout(() => {
      asking = 0
      void refresh(queries, STANDS_STILL)
    }, TOGETHER)
  }

  function close() {
    window.clearTimeout(again)
    window.clearTimeout(asking)
    asking = 0
    source?.close()
    source = null
    streaming.value = false
    frame.value = null
  }
  /** A stream that the server refused or ended is asked for again, less and less often. */
  function lose() {
    source?.close()
    streaming.value = false
    window.clearTimeout(again)
    again = window.setTimeout(() => listen(toValue(programme)), pause)
    pause = Math.min(2 * pause, LONGEST_PAUSE)
  }
  // The network is back: no need to wait for the next try.
  useEventListener(window, 'online', () => {
    if (!toValue(open)) return
    close()
    pause = FIRST_PAUSE
    listen(toValue(programme))
  })
  function listen(id: number) {
    source = new EventSource(`/api/programmes/${id}/live`)
    source.onopen = () => {
      streaming.value = true
      pause = FIRST_PAUSE
      void queries.invalidateQueries({ queryKey: ['stand'] })
      void queries.invalidateQueries({ queryKey: ['day'] })
      onResume()
    }
    source.onerror = () => {
      streaming.value = false
      if (source?.readyState !== EventSource.CLOSED) return // the browser connects again by itself
      lose()
      // It may have been refused because there is nothing to see here any more.
      void queries.invalidateQueries({ queryKey: ['programme'] })
    }
    source.onmessage = (event: MessageEvent<string>) => take(JSON.parse(event.data) as Message)
  }
  watch(
    [() => toValue(programme), () => toValue(open)],
    ([id, wanted]) => {
      close()
      if (wanted) listen(id)
    },
    { immediate: true },
  )
  onScopeDispose(close)
  return { frame, streaming, refused, tripped, unseen, notStopped }
}
