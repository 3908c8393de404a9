/** What the stand's screen says of the pull that runs, is armed, or comes next. */
import { computed, type ComputedRef } from 'vue'

import type { Frame } from '../../app/frame'
import type { usePullFlow } from './usePullFlow'

/** A gate with what it shows now. */
interface Tape {
  gate: { name: string }
}
/** What the words depend on beside the record of the day. */
interface Moment {
  running: ComputedRef<boolean>
  armed: ComputedRef<boolean>
  /** A stand that only reports is started at its own console. */
  commanded: ComputedRef<boolean>
  /** Whether the control is this person's. */
  mine: ComputedRef<boolean>
  /** Gates that hold the start. */
  held: ComputedRef<Tape[]>
}

export function usePullWords(
  { programme, setup, mayOperate }: Frame,
  flow: ReturnType<typeof usePullFlow>,
  now: Moment,
) {
  const { current, unjudged, shownSetup, mounted, wanted, override } = flow
  const { running, armed, commanded, mine, held } = now

  const headline = computed(() => {
    const name = `${shownSetup.value.letter} ${shownSetup.value.name}`
    if (running.value) return `Pull ${current.value!.number}: ${name}, running`
    if (armed.value) {
      const kind = current.value!.purpose === 'sweep' ? '' : `, ${current.value!.purpose_label.toLowerCase()}`
      return `Pull ${current.value!.number}: ${name}, armed${kind}`
    }
    if (unjudged.value) return `Pull ${unjudged.value.number}: ${name}. Accept it?`
    return `Next: ${name}`
  })
  /** Of the pull that is armed or runs, else as it is asked for, else the plan's. */
  const sweep = computed(() => {
    const made = current.value ?? { sweep_start_rpm: null, sweep_end_rpm: null, sweep_rate_rpm_s: null }
    const from = made.sweep_start_rpm ?? wanted.value.start_rpm ?? programme.value.sweep_start_rpm
    const to = made.sweep_end_rpm ?? wanted.value.end_rpm ?? programme.value.sweep_end_rpm
    const rate = made.sweep_rate_rpm_s ?? wanted.value.rate_rpm_s ?? programme.value.sweep_rate_rpm_s
    return `sweep ${from}–${to} at ${rate} rpm/s`
  })
  /** What makes this setup: the parts that not every setup of the programme has; all where they are alike. */
  const parts = computed(() => {
    const everywhere = (part: string) => programme.value.setups.every((other) => other.parts.includes(part))
    const own = shownSetup.value.parts.filter((part) => !everywhere(part))
    return (own.length ? own : shownSetup.value.parts).join(', ')
  })
  const lead = computed(() => {
    if (unjudged.value)
      return mayOperate.value
        ? 'Accept it, or exclude it with a reason.'
        : 'Whoever operates the stand accepts or excludes it.'
    if (mounted.value !== null && mounted.value !== shownSetup.value.id && !running.value)
      return `Change ${setup(mounted.value).letter} to ${shownSetup.value.letter}: ${parts.value} · ${sweep.value}`
    return `${parts.value} · ${sweep.value}`
  })
  const holdLabel = computed(() => {
    if (running.value) return 'Pull running'
    if (!armed.value) return 'Not armed'
    if (!commanded.value) return 'Start the sweep at the console'
    if (!mine.value) return `${current.value!.operator} has control`
    if (held.value.length && !override.value.trim())
      return `Waiting for ${held.value.map((tape) => tape.gate.name.toLowerCase()).join(', ')}`
    return 'Hold to start'
  })

  return { headline, lead, holdLabel }
}
