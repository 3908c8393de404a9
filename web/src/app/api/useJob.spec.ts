import { effectScope } from 'vue'
import { afterEach, expect, test, vi } from 'vitest'

import { type Job, useJob } from './useJob'

const job = (more: Partial<Job>): Job => ({
  id: 5,
  kind: 'count',
  state: 'running',
  done: 0,
  total: 0,
  progress_text: '',
  lost: '',
  result: null,
  ...more,
})

function answers(...states: Partial<Job>[]) {
  const left = [...states]
  const fetched = vi.fn(() => Promise.resolve(Response.json(job(left.shift() ?? { state: 'done' }))))
  vi.stubGlobal('fetch', fetched)
  return fetched
}
afterEach(() => vi.unstubAllGlobals())

test('work is followed until it is done', async () => {
  answers({ done: 3, total: 9, progress_text: '3 of 9' }, { state: 'done', result: { reached: 9 } })
  const scope = effectScope()
  const work = scope.run(() => useJob<{ reached: number }>())!
  const found = await work.start(() => Promise.resolve(job({ state: 'waiting' })))
  expect(found).toEqual({ reached: 9 })
  expect(work.running.value).toBe(false)
  scope.stop()
})

test('work that failed says why and brings nothing', async () => {
  answers({ state: 'failed', progress_text: 'The day is too short.' })
  const scope = effectScope()
  const work = scope.run(() => useJob())!
  expect(await work.start(() => Promise.resolve(job({})))).toBeNull()
  expect(work.failure.value).toBe('The day is too short.')
  scope.stop()
})

test('a newer question forgets the older one', async () => {
  answers({ state: 'done', result: { of: 'newer' } })
  const scope = effectScope()
  const work = scope.run(() => useJob<{ of: string }>())!
  const older = work.start(() => new Promise((resolve) => setTimeout(() => resolve(job({ id: 1 })), 30)))
  const newer = await work.start(() => Promise.resolve(job({ id: 2 })))
  expect(newer).toEqual({ of: 'newer' })
  expect(await older).toBeNull()
  expect(work.job.value?.id).toBe(5)
  scope.stop()
})
