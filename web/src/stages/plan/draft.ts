/** A plan being written: changes to the draft that need no server. Whatever is computed of it, the server computes. */
import type { Schema } from '../../app/api/client'

export type Draft = Schema['DraftIn']
export type DraftSetup = Schema['DraftSetupIn']
export type DraftRow = Schema['DraftRowIn']
export type PlanSummary = Schema['PlanSummary']

/** The slot of a part, by its id. */
export type SlotOf = (part: number) => string | undefined

export const OWN = 'own:'
export const SETTING = 'setting:'

export function isSlot(row: string): boolean {
  return !row.startsWith(OWN) && !row.startsWith(SETTING)
}

export function blankSetup(): DraftSetup {
  return {
    id: null,
    position: null,
    name: '',
    part_ids: [],
    settings: {},
    pulls: '3',
    visits: '1',
    place: '',
    available_at: null,
    candidate: 'in',
    reason: '',
    based_on: null,
    protected: false,
  }
}

export function blankDraft(): Draft {
  return {
    build_id: 0,
    question: '',
    setups: [blankSetup(), blankSetup()],
    order: [],
    texts: {
      sweep_start_rpm: '',
      sweep_end_rpm: '',
      sweep_rate: '350',
      low_rpm: '',
      high_rpm: '',
      smallest_difference: '0.3',
      extension_rpm: '',
      warm_up: '20',
      tuning: '',
      pull_time: '2',
      cool_down: '2',
      conditioning_pulls: '1',
      return_every: '3',
      return_pulls: '2',
      fuel_available: '',
      fuel_pull: '',
      fuel_warm_up: '',
      hour_price: '',
      height_limit: '',
      cost_ceiling: '',
    },
    words: { answers_change: '', held_constant: '', stand_in: '' },
    rows: [],
    sessions: [],
    standard: 'iso_1585_si',
    boost_school: 'unblown',
    kind: 'comparison',
    mixture_policy: 'matched',
    tune_rule: 'last_matched',
    boost_policy: '',
    duty: 'even',
    points: [],
    must_look_stock: false,
    fixed_slots: [],
    check_pass_first: true,
  }
}

/** What a setup has in a row: part ids of a slot, or the text of a setting. */
export function cell(setup: DraftSetup, row: string, slotOf: SlotOf): string {
  if (!isSlot(row)) return setup.settings?.[row] ?? ''
  return (setup.part_ids ?? []).filter((part) => slotOf(part) === row).join(' ')
}

function write(setup: DraftSetup, row: string, value: string, slotOf: SlotOf) {
  if (!isSlot(row)) {
    setup.settings = { ...setup.settings, [row]: value }
    if (value === '') delete setup.settings[row]
    return
  }
  const others = (setup.part_ids ?? []).filter((part) => slotOf(part) !== row)
  setup.part_ids = value === '' ? others : [...others, ...value.split(' ').map(Number)]
}

/** The setup that another starts from: the one it builds on, else the baseline. */
export function baseOf(draft: Draft, place: number): number {
  return place === 0 ? -1 : (draft.setups[place]!.based_on ?? 0)
}

/** Put something into a cell. Setups that start from this one and had the same there follow, unless they were pulled. */
export function put(
  draft: Draft,
  place: number,
  row: string,
  value: string,
  slotOf: SlotOf,
  pulled: boolean[] = [],
) {
  const before = cell(draft.setups[place]!, row, slotOf)
  write(draft.setups[place]!, row, value, slotOf)
  draft.setups.forEach((setup, other) => {
    if (
      other !== place &&
      baseOf(draft, other) === place &&
      !pulled[other] &&
      cell(setup, row, slotOf) === before
    )
      put(draft, other, row, value, slotOf, pulled)
  })
}

export function differsFromBase(draft: Draft, place: number, row: string, slotOf: SlotOf): boolean {
  const base = baseOf(draft, place)
  return base >= 0 && cell(draft.setups[place]!, row, slotOf) !== cell(draft.setups[base]!, row, slotOf)
}

/** A new setup that starts from another, with all that is on it. */
export function addSetup(draft: Draft, from = 0, stepwise = false): number {
  const base = draft.setups[from]!
  draft.setups.push({
    ...blankSetup(),
    part_ids: [...(base.part_ids ?? [])],
    settings: { ...base.settings },
    pulls: draft.setups[1]?.pulls ?? '3',
    based_on: stepwise && from > 0 ? from : null,
  })
  return draft.setups.length - 1
}

/** Take a setup out, with its visits; places of those behind it move up. */
export function dropSetup(draft: Draft, place: number) {
  draft.setups.splice(place, 1)
  const moved = (at: number) => (at > place ? at - 1 : at)
  draft.setups.forEach((setup) => {
    if (setup.based_on === place) setup.based_on = null
    else if (typeof setup.based_on === 'number') setup.based_on = moved(setup.based_on)
  })
  draft.order = draft.order
    .filter((visit) => visit.setup !== place)
    .map((visit) => ({ ...visit, setup: moved(visit.setup) }))
}

/** Cross every setup with of several levels of a setting: a grid of parts and boost, say. */
export function cross(draft: Draft, row: string, levels: string[]) {
  const first = levels[0]
  if (first === undefined) return
  const columns = draft.setups.map((setup) => ({ ...setup, settings: { ...setup.settings } }))
  draft.setups.forEach((setup) => (setup.settings = { ...setup.settings, [row]: first }))
  for (const level of levels.slice(1))
    for (const setup of columns)
      draft.setups.push({
        ...setup,
        id: null,
        position: null,
        name: `${setup.name} ${level}`.trim().slice(0, 80),
        settings: { ...setup.settings, [row]: level },
        place: '',
        based_on: null,
      })
}

/** Move a visit of the order; it joins the session of its new neighbour above. */
export function moveVisit(draft: Draft, from: number, to: number) {
  const order = [...draft.order]
  const [visit] = order.splice(from, 1)
  if (!visit) return
  order.splice(to, 0, visit)
  const above = order[to - 1]
  const below = order[to + 1]
  visit.session = above ? above.session : (below?.session ?? 0)
  // Sessions follow each other: whatever stands below is not in an earlier one.
  let latest = 0
  order.forEach((each) => (each.session = latest = Math.max(latest, each.session ?? 0)))
  draft.order = order
}

/** An order that was found: the baseline's first visit of a session takes its own pulls, its returns theirs. */
export function takeOrder(draft: Draft, visits: number[][]) {
  const ids = new Map<number, number[]>()
  for (const visit of draft.order)
    if (typeof visit.id === 'number') ids.set(visit.setup, [...(ids.get(visit.setup) ?? []), visit.id])
  const opened = new Set<number>()
  draft.order = visits.map(([setup = 0, session = 0]) => {
    const returns = setup === 0 && opened.has(session)
    opened.add(session)
    return {
      id: ids.get(setup)?.shift() ?? null,
      setup,
      session,
      pulls: returns ? draft.texts.return_pulls || '2' : draft.setups[setup]!.pulls || '3',
    }
  })
}

/** Everything an order depends on: while this stays the same, the order that was found stays. */
export function orderInputs(draft: Draft): string {
  const { build_id, setups, rows, sessions, kind, texts } = draft
  const numbers = Object.entries(texts).filter(
    ([key]) => !/^(height|cost|smallest|low_|high_|hour)/.test(key),
  )
  return JSON.stringify([
    build_id,
    kind,
    rows,
    sessions,
    numbers,
    setups.map((setup) => ({ ...setup, name: '', reason: '' })),
  ])
}

/** A duty to be drawn from: evenly spaced points on the line that is there, or along the top. */
export function drawable(points: number[][], low: number, high: number, count = 7): number[][] {
  return Array.from({ length: count }, (_, index) => {
    const speed = low + (index / (count - 1)) * (high - low)
    const after = points.findIndex(([at]) => at! >= speed)
    const [one, other] = [points[Math.max(after - 1, 0)], points[after]]
    if (!one || !other) return [Math.round(speed), 1]
    const share = other[0] === one[0] ? 1 : (speed - one[0]!) / (other[0]! - one[0]!)
    return [Math.round(speed), Math.round((one[1]! + share * (other[1]! - one[1]!)) * 20) / 20]
  })
}

/** Positions, and so letters, of the setups: one that has its letter keeps it, new ones take the first that are free. */
export function positions(draft: Draft): number[] {
  const taken = new Set(draft.setups.filter((setup) => setup.id).map((setup) => setup.position))
  let next = 0
  return draft.setups.map((setup) => {
    if (setup.id && typeof setup.position === 'number') return setup.position
    while (taken.has(next)) next++
    return next++
  })
}
