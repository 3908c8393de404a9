import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { defineComponent } from 'vue'

import { blankDraft, blankSetup, type Draft, dropSetup } from './draft'
import { type PlanDraft, usePlanDraft } from './usePlanDraft'

const VISITS = [
  [0, 0],
  [2, 0],
  [1, 0],
  [0, 0],
]
let job: (value: unknown) => void
let saved: Draft

/** A server that answers with one plan, and with an order when the test says so. */
function serve(request: Request): Promise<Response> {
  const { pathname } = new URL(request.url)
  if (pathname === '/api/plans/7')
    return Promise.resolve(
      Response.json({
        draft: saved,
        pulled: [true, false, true],
        visits_pulled: [0],
        positions: [0, 1, 2],
        versions: [],
        summary: {},
      }),
    )
  if (pathname === '/api/plans/order')
    return new Promise((resolve) => (job = (body) => resolve(Response.json(body))))
  if (pathname === '/api/plans/check') return Promise.resolve(Response.json({ live: true }))
  return Promise.resolve(Response.json([]))
}

async function drafted(programme: number | null): Promise<PlanDraft> {
  let plan!: PlanDraft
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  mount(
    defineComponent({
      setup() {
        plan = usePlanDraft(programme)
        return () => null
      },
    }),
    { global: { plugins: [[VueQueryPlugin, { queryClient: client }]] } },
  )
  await plan.started
  await flushPromises()
  return plan
}
const found = (more = {}) => ({
  id: 1,
  kind: 'running_order',
  state: 'done',
  done: 0,
  total: 0,
  progress_text: '',
  lost: '',
  result: { visits: VISITS, dropped: [], total_min: 90, bound_min: 90, proven: true, advice: [] },
  ...more,
})

beforeEach(() => {
  sessionStorage.clear()
  vi.stubGlobal('fetch', vi.fn(serve))
  saved = { ...blankDraft(), build_id: 3, question: '?' }
  saved.setups = [1, 2, 3].map((id, position) => ({ ...blankSetup(), id, position, name: `setup ${id}` }))
  saved.order = [0, 1, 2].map((setup) => ({ id: setup + 10, setup, pulls: '3', session: 0 }))
})
afterEach(() => vi.unstubAllGlobals())

test('an order that was searched for another plan is not taken, and says nothing of this one', async () => {
  const plan = await drafted(null)
  Object.assign(plan.draft, { build_id: 3, setups: [blankSetup(), blankSetup(), blankSetup()] })
  const searching = plan.findOrder()
  await flushPromises()
  dropSetup(plan.draft, 2)
  job(found())
  await searching
  expect(plan.draft.order).toEqual([])
  expect(plan.found.value).toBeNull()
})

test('an order that was found is taken, and holds until the plan moves on', async () => {
  const plan = await drafted(null)
  Object.assign(plan.draft, { build_id: 3, setups: [blankSetup(), blankSetup(), blankSetup()] })
  const searching = plan.findOrder()
  await flushPromises()
  job(found())
  await searching
  expect(plan.draft.order.map((visit) => visit.setup)).toEqual([0, 2, 1, 0])
  expect(plan.found.value?.proven).toBe(true)
  plan.draft.texts.warm_up = '45'
  expect(plan.found.value).toBeNull()
})

test('an order by hand is not put back by a search that ends after it', async () => {
  const plan = await drafted(null)
  Object.assign(plan.draft, { build_id: 3, setups: [blankSetup(), blankSetup(), blankSetup()] })
  const searching = plan.findOrder()
  await flushPromises()
  plan.follows.value = false
  job(found())
  await searching
  expect(plan.draft.order).toEqual([])
})

test('what was pulled stays locked when places move', async () => {
  const plan = await drafted(7)
  expect(plan.pulled.value).toEqual([true, false, true])
  expect(plan.visitsPulled.value).toEqual([0])
  dropSetup(plan.draft, 1)
  expect(plan.pulled.value).toEqual([true, true])
  plan.draft.order.unshift({ id: null, setup: 1, pulls: '1', session: 0 })
  expect(plan.visitsPulled.value).toEqual([1])
})

test('a draft outlives a reload, and a plan that was only looked at is not', async () => {
  const plan = await drafted(7)
  plan.begin()
  plan.draft.question = 'Which?'
  await flushPromises()
  const again = await drafted(7)
  expect(again.draft.question).toBe('Which?')
  expect(again.restored.value).toBe(true)
  await again.forget()
  expect(again.draft.question).toBe('?')
  expect(again.restored.value).toBe(false)
})
