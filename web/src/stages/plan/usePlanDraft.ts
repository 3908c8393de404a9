import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { useJob } from '../../app/api/useJob'
import { unsavedKey } from '../../ui/useUnsaved'
import { usePartNames } from '../parts/names'
import { useSlots } from '../parts/useParts'
import { NEW_PLAN } from './copy'
import {
  blankDraft,
  type Draft,
  orderInputs,
  positions as positionsOf,
  type PlanSummary,
  takeOrder,
} from './draft'

export interface FoundOrder {
  visits: number[][]
  dropped: number[]
  total_min: number
  bound_min: number
  proven: boolean
  advice: string[]
}

const PAUSE_MS = 150
const NO_ENGINE = 'Choose the engine. Describe one first if there is none.'

export function usePlanChoices() {
  return useQuery({
    queryKey: ['plan-choices'],
    queryFn: async () => answer(await api.GET('/api/plan-choices')),
    staleTime: Infinity,
  })
}

/** A draft that stays in this tab until it is saved; at each change it says what it can show and how the day goes. */
export function usePlanDraft(programme: number | null) {
  const key = programme === null ? NEW_PLAN : unsavedKey(`plan of ${programme}`)
  const draft = reactive<Draft>(blankDraft())
  /** Ids, because places move when setups and visits are added and dropped. */
  const pulledSetups = ref(new Set<number>())
  const pulledVisits = ref(new Set<number>())
  const pulled = computed(() => draft.setups.map((setup) => pulledSetups.value.has(setup.id ?? 0)))
  const positions = computed(() => positionsOf(draft))
  const visitsPulled = computed(() =>
    draft.order.flatMap((visit, place) => (pulledVisits.value.has(visit.id ?? 0) ? [place] : [])),
  )
  const ready = ref(programme === null)
  const concluded = ref<PlanSummary | null>(null)
  const fields = ref<Record<string, string>>({})
  const message = ref('')
  const restored = ref(false)
  /** The draft as it began: nothing is stored of a plan that was only looked at. */
  let begins = ''
  /** The order follows the setups until somebody orders by hand. */
  const follows = ref(programme === null)
  const search = useJob<FoundOrder>()
  /** What the last search was asked for. Once the plan has moved on, its answer says nothing any more. */
  const searchedFor = ref('')
  const found = computed(() => (searchedFor.value === orderInputs(draft) ? search.result.value : null))
  const plannedParts = computed(() => [...new Set(draft.setups.flatMap((setup) => setup.part_ids ?? []))])
  const { partOf, areKnown: partsKnown } = usePartNames(plannedParts)
  const { data: slots } = useSlots()
  const { data: choices } = usePlanChoices()
  const queries = useQueryClient()

  const slotOf = (part: number) => partOf(part)?.slot
  const begun = computed(() => visitsPulled.value.length > 0)

  function take(given: Draft) {
    Object.assign(draft, blankDraft(), structuredClone(given))
  }

  async function load() {
    if (programme === null) return
    const plan = answer(
      await api.GET('/api/plans/{programme_id}', { params: { path: { programme_id: programme } } }),
    )
    take(plan.draft)
    const { setups, order } = plan.draft
    pulledSetups.value = new Set(setups.flatMap((one, place) => (plan.pulled[place] ? [one.id ?? 0] : [])))
    pulledVisits.value = new Set(plan.visits_pulled.map((place) => order[place]?.id ?? 0))
  }

  /** From here on a difference is somebody's. */
  function begin() {
    if (!restored.value) begins = JSON.stringify(draft)
  }

  function restore() {
    const text = sessionStorage.getItem(key)
    if (!text) return
    if (text === begins) return
    try {
      take(JSON.parse(text) as Draft)
      restored.value = true
      follows.value = false
    } catch {
      sessionStorage.removeItem(key)
    }
  }

  async function forget() {
    sessionStorage.removeItem(key)
    restored.value = false
    if (programme === null) {
      take(blankDraft())
      follows.value = true
    } else {
      await load()
      begin()
    }
  }

  const started = load()
    .then(restore)
    // Only now do changes count: reading the plan must not write over the draft that was left.
    .then(() => {
      ready.value = true
      return check()
    })
    .catch((caught: Error) => (message.value = caught.message))

  let checking = 0
  async function check() {
    if (!draft.build_id) return
    const mine = ++checking
    try {
      const found = answer(await api.POST('/api/plans/check', { body: draft }))
      if (mine === checking) concluded.value = found
    } catch (caught) {
      if (mine === checking) message.value = (caught as Error).message
    }
  }

  async function findOrder() {
    if (!draft.build_id) {
      fields.value = { ...fields.value, build_id: NO_ENGINE }
      return
    }
    const asked = (searchedFor.value = orderInputs(draft))
    const best = await search.start(async () => answer(await api.POST('/api/plans/order', { body: draft })))
    // While it was searched, somebody may have begun to order by hand, or have changed what it was searched for.
    if (best && follows.value && asked === orderInputs(draft)) takeOrder(draft, best.visits)
  }

  async function useTemplate(template: string, setup: number) {
    try {
      const changed = answer(await api.POST('/api/plans/template', { body: { template, setup, draft } }))
      take(changed)
      follows.value = template !== 'stock_to_maximum'
      message.value = ''
      if (follows.value) await findOrder()
    } catch (caught) {
      message.value =
        caught instanceof Problem ? (Object.values(caught.fields)[0] ?? caught.message) : String(caught)
    }
  }

  /** The engine on paper with each setup, asked for at once: figures follow the hand. One question at a time. */
  const onPaper = ref<Schema['OnPaperOut'] | null>(null)
  let asking = false
  let changed = false
  async function workOut() {
    if (!draft.build_id || !draft.setups.length) return
    if (asking) {
      changed = true
      return
    }
    asking = true
    try {
      onPaper.value = answer(await api.POST('/api/plans/on-paper', { body: draft }))
    } catch {
      onPaper.value = null // the check says what is wrong with the draft
    } finally {
      asking = false
    }
    if (changed) {
      changed = false
      await workOut()
    }
  }
  watch(
    () => ready.value && JSON.stringify([draft.build_id, draft.setups]),
    (text) => void (text && workOut()),
  )

  let waiting = 0
  watch(
    () => JSON.stringify(draft),
    (text) => {
      if (!ready.value) return
      if (text === begins) sessionStorage.removeItem(key)
      else sessionStorage.setItem(key, text)
      window.clearTimeout(waiting)
      waiting = window.setTimeout(() => void check(), PAUSE_MS)
    },
  )
  let ordering = 0
  watch(
    () => orderInputs(draft),
    () => {
      if (!ready.value || !follows.value || begun.value) return
      window.clearTimeout(ordering)
      ordering = window.setTimeout(() => {
        if (draft.build_id && concluded.value?.live) void findOrder()
      }, PAUSE_MS * 2)
    },
  )

  async function save(): Promise<number | null> {
    fields.value = {}
    message.value = ''
    if (!draft.build_id) {
      fields.value = { build_id: NO_ENGINE }
      message.value = 'The plan is not complete: see the fields.'
      return null
    }
    try {
      const saved: Schema['ProgrammeOut'] =
        programme === null
          ? answer(await api.POST('/api/plans', { body: draft }))
          : answer(
              await api.PUT('/api/plans/{programme_id}', {
                params: { path: { programme_id: programme } },
                body: draft,
              }),
            )
      sessionStorage.removeItem(key)
      await queries.invalidateQueries()
      return saved.id
    } catch (caught) {
      fields.value = caught instanceof Problem ? caught.fields : {}
      message.value = (caught as Error).message
      return null
    }
  }

  return {
    draft,
    pulled,
    positions,
    visitsPulled,
    begun,
    ready,
    started,
    concluded,
    onPaper,
    fields,
    message,
    restored,
    forget,
    follows,
    search,
    found,
    begin,
    findOrder,
    useTemplate,
    save,
    check,
    plannedParts,
    partOf,
    partsKnown,
    slots,
    choices,
    slotOf,
  }
}

export type PlanDraft = ReturnType<typeof usePlanDraft>
