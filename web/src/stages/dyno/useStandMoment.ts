/** How things stand at the stand right now: by the live stream first, by the record where there is no stream. */
import { computed, type ComputedRef, type Ref, ref, watch } from 'vue'

import type { Schema } from '../../app/api/client'
import type { useLive } from './useLive'
import type { usePullFlow, WayToStop } from './usePullFlow'

export function useStandMoment(
  stand: Ref<Schema['StandNow'] | undefined>,
  live: ReturnType<typeof useLive>,
  { current, last, abort }: ReturnType<typeof usePullFlow>,
  mayOperate: ComputedRef<boolean>,
) {
  const { frame, tripped, unseen, notStopped } = live
  const gates = computed(() =>
    (stand.value?.gates ?? []).map((gate) => ({
      gate,
      value: frame.value ? (frame.value.values[gate.channel] ?? null) : (gate.value ?? null),
      side: frame.value ? (frame.value.sides[gate.channel] ?? 'silent') : gate.side,
      opens: frame.value?.opens[gate.channel] ?? null,
    })),
  )
  const held = computed(() => gates.value.filter((tape) => tape.side !== 'inside'))
  /** The stream says first that the sweep has begun; the record follows. */
  const running = computed(
    () =>
      current.value?.state === 'running' ||
      (current.value?.state === 'armed' && frame.value?.state === 'sweeping'),
  )
  const armed = computed(() => current.value?.state === 'armed' && !running.value)
  const faulty = computed(() =>
    (frame.value?.faulty ?? stand.value?.faulty ?? []).map((name) => name.replaceAll('_', ' ')),
  )
  /** Channels that have no place of their own above. */
  const others = computed(() => {
    const shown = ['rpm', 'torque', 'lambda', 'boost', ...gates.value.map((tape) => tape.gate.channel)]
    return (stand.value?.channels ?? []).filter((channel) => !shown.includes(channel.name))
  })
  const values = computed<Record<string, number>>(() => frame.value?.values ?? stand.value?.values ?? {})

  /** Why the last pull was stopped, until the next is armed; from the stream first, from the record afterwards. */
  const stopped = computed(() => {
    if (current.value) return running.value || armed.value ? tripped.value : ''
    return last.value?.tripped ? `Pull ${last.value.number}. ${last.value.ended_why}` : ''
  })
  watch(current, (pull, before) => {
    if (pull && pull.id !== before?.id) tripped.value = unseen.value = ''
  })

  /** Something moves, or may: by the record or by what the stand itself says. */
  const moving = computed(
    () =>
      current.value !== null ||
      ['armed', 'sweeping'].includes(frame.value?.state ?? stand.value?.state ?? ''),
  )
  /** Kept from the last answer: with the database away there is no other. */
  const way = ref<WayToStop | null>(null)
  watch(stand, (now) => {
    if (now?.stand_id != null && now.stop_key) way.value = { stand_id: now.stand_id, key: now.stop_key }
  })
  const mayStop = computed(() => mayOperate.value && moving.value && Boolean(way.value ?? current.value))
  /** Said by the worker, or by the server that found no way to the stand. */
  const alarm = computed(
    () =>
      notStopped.value ||
      stand.value?.alarm ||
      (abort.error.value
        ? `THE STOP DID NOT GET THROUGH: ${abort.error.value.message} Use the wired emergency stop.`
        : ''),
  )

  return { gates, held, running, armed, faulty, others, values, stopped, moving, way, mayStop, alarm }
}
