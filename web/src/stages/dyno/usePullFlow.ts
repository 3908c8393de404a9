import { computed, type ComputedRef, ref, watch } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import type { Frame } from '../../app/frame'

/** A stand and the key that stops it. */
export interface WayToStop {
  stand_id: number
  key: string
}

/** What comes next at the stand, and what a person may ask of it. Follows the frame of the programme. */
export function usePullFlow({ programme, day, setup }: Frame, connected: ComputedRef<boolean>) {
  const session = computed(() =>
    day.value.session && !day.value.session.closed_at ? day.value.session : null,
  )
  const current = computed(
    () => day.value.pulls.find((pull) => pull.state === 'armed' || pull.state === 'running') ?? null,
  )
  /** Made on this session's stand: what was imported, or made on another stand, says nothing of this engine now. */
  const here = computed(() => day.value.pulls.filter((pull) => pull.stand_id === session.value?.stand.id))
  const last = computed(() => here.value.at(-1) ?? null)
  const nextNumber = computed(() => Math.max(0, ...day.value.pulls.map((pull) => pull.number)) + 1)
  /** A pull that has just been made waits for a judgement before the next. */
  const unjudged = computed(() =>
    !current.value &&
    last.value?.session_id === session.value?.id &&
    last.value?.state === 'complete' &&
    last.value.standing === 'undecided'
      ? last.value
      : null,
  )
  const chosenSetup = ref<number | null>(null)
  /** What was just checked or warmed up is pulled next. */
  const warmed = computed(() =>
    last.value?.state === 'complete' && ['check', 'warm_up'].includes(last.value.purpose)
      ? last.value.setup_id
      : null,
  )
  const nextSetup = computed(
    () =>
      chosenSetup.value ??
      warmed.value ??
      day.value.planned[0]?.setup_id ??
      last.value?.setup_id ??
      programme.value.setups[0]!.id,
  )
  const shownSetup = computed(() =>
    setup(current.value?.setup_id ?? unjudged.value?.setup_id ?? nextSetup.value),
  )
  /** The setup that made the last complete pull, so the one that is bolted on. */
  const mounted = computed(() => here.value.findLast((pull) => pull.state === 'complete')?.setup_id ?? null)
  watch(current, (pull) => {
    if (!pull) return
    chosenSetup.value = null
    wanted.value = {}
  })

  const open = useAction(async (body: { stand_id: number } & Partial<Schema['SessionIn']>) =>
    answer(
      await api.POST('/api/programmes/{programme_id}/sessions', {
        params: { path: { programme_id: programme.value.id } },
        body: { fuel: '', oil: '', coolant: '', ...body },
      }),
    ),
  )
  const takeControl = useAction(async (pull_id: number) =>
    answer(await api.POST('/api/pulls/{pull_id}/control', { params: { path: { pull_id } } })),
  )
  const close = useAction(async (session_id: number) =>
    answer(await api.POST('/api/sessions/{session_id}/close', { params: { path: { session_id } } })),
  )
  /** What the next pull is to be, where it is not what the plan and what went before say. */
  const wanted = ref<Partial<Schema['ArmIn']>>({})
  const arm = useAction(async (setup_id: number) =>
    answer(
      await api.POST('/api/sessions/{session_id}/arm', {
        params: { path: { session_id: session.value!.id } },
        body: {
          ...wanted.value,
          setup_id,
          purpose: wanted.value.purpose ?? '',
          holds: wanted.value.holds ?? [],
        },
      }),
    ),
  )
  const acknowledge = useAction(async (session_id: number) =>
    answer(await api.POST('/api/sessions/{session_id}/cautions', { params: { path: { session_id } } })),
  )
  const override = ref('')
  const start = useAction(async (pull_id: number) =>
    answer(
      await api.POST('/api/pulls/{pull_id}/start', {
        params: { path: { pull_id } },
        body: { override_reason: override.value },
      }),
    ),
  )
  /** For the stand, by a key that works with the database away: past rows, sessions and whoever armed it. */
  const abort = useAction(async ({ way, pull_id }: { way: WayToStop | null; pull_id: number | null }) => {
    if (way) {
      const path = { stand_id: way.stand_id }
      const outcome = await api.POST('/api/stands/{stand_id}/stop', {
        params: { path },
        body: { key: way.key },
      })
      // A page that was open for days has a key that ran out; the session is the other way.
      if (outcome.response.status !== 403 || pull_id === null) return void answer(outcome)
    }
    answer(await api.POST('/api/pulls/{pull_id}/abort', { params: { path: { pull_id: pull_id! } } }))
  })
  const keep = useAction(async (pull_id: number) =>
    answer(await api.POST('/api/pulls/{pull_id}/keep', { params: { path: { pull_id } } })),
  )
  const problem = computed(
    () =>
      [arm, start, abort, keep, open, close, acknowledge, takeControl]
        .map((action) => action.error.value)
        .find(Boolean) ?? null,
  )

  /** Arm the next pull; the setup just pulled once more while it waits for its judgement. */
  function armNext() {
    if (!session.value || !connected.value || current.value) return
    start.reset()
    override.value = ''
    arm.mutate(unjudged.value?.setup_id ?? nextSetup.value)
  }

  return {
    session,
    current,
    last,
    nextNumber,
    unjudged,
    chosenSetup,
    nextSetup,
    shownSetup,
    mounted,
    override,
    wanted,
    acknowledge,
    takeControl,
    open,
    close,
    arm,
    start,
    abort,
    keep,
    problem,
    armNext,
  }
}
