import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { defineComponent } from 'vue'

import type { Build } from './useBuild'
import { type Draft, useDraft } from './useDraft'

const BUILD = { id: 7 } as Build
const asked: { address: string; body: unknown }[] = []
let answers: (address: string) => { status?: number; body: unknown }

beforeEach(() => {
  vi.useFakeTimers()
  asked.length = 0
  vi.stubGlobal('fetch', async (request: Request) => {
    const address = new URL(request.url).pathname
    asked.push({ address, body: await request.json() })
    const { status = 200, body } = answers(address)
    return new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } })
  })
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

function draft(): Draft {
  let made!: Draft
  const Host = defineComponent({
    setup() {
      made = useDraft(() => BUILD)
      return () => null
    },
  })
  mount(Host, { global: { plugins: [[VueQueryPlugin, { queryClient: new QueryClient() }]] } })
  return made
}
const TRIED = {
  moved: [],
  findings: {},
  airflow: null,
  advance: null,
  understood: { bore: '87 mm' },
  wrong: {},
}

test('strokes in quick succession ask once, with what stands there last', async () => {
  answers = () => ({ body: TRIED })
  const tried = draft()
  tried.edit('bore', '8', 'measured')
  tried.edit('bore', '87', 'measured')
  await vi.advanceTimersByTimeAsync(100)
  await flushPromises()
  expect(asked).toEqual([
    { address: '/api/builds/7/what-if', body: { texts: { bore: '87' }, advance_by: null } },
  ])
  expect(tried.understood('bore')).toBe('87 mm')
})

test('what the server refuses stays typed, with its message', async () => {
  answers = (address) =>
    address.includes('readings')
      ? { status: 422, body: { code: 'invalid', detail: 'No.', fields: { bore: 'Understood 4 mm' } } }
      : { body: TRIED }
  const tried = draft()
  tried.edit('bore', '4', 'measured')
  await tried.keep('bore')
  expect(tried.wrong('bore')).toBe('Understood 4 mm')
  expect(tried.edits.get('bore')?.text).toBe('4')
  tried.edit('bore', '40', 'measured')
  expect(tried.wrong('bore')).toBe('')
})

test('what is kept is no longer an edit', async () => {
  answers = (address) => ({ body: address.includes('readings') ? BUILD : TRIED })
  const tried = draft()
  tried.edit('bore', '87', 'measured', 'micrometer')
  await tried.keep('bore')
  expect(asked.at(-1)?.body).toEqual({ text: '87', how: 'micrometer' })
  expect(tried.edits.size).toBe(0)
})

test('dropping forgets what was tried', async () => {
  answers = () => ({ body: TRIED })
  const tried = draft()
  tried.edit('bore', '87', 'measured')
  await vi.advanceTimersByTimeAsync(100)
  await flushPromises()
  tried.drop()
  expect([tried.edits.size, tried.tried.value]).toEqual([0, null])
})
