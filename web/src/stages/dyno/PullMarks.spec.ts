import { mount } from '@vue/test-utils'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { expect, test, vi } from 'vitest'

import PullMarks from './PullMarks.vue'

const posted = vi.hoisted(() => vi.fn())
vi.mock('../../app/api/client', () => ({
  api: { POST: posted },
  answer: (outcome: { data?: unknown; error?: Error }) => {
    if (outcome.error) throw outcome.error
    return outcome.data
  },
}))

function shown(rpm: number | null) {
  const queryClient = new QueryClient()
  return mount(PullMarks, {
    props: { session: 3, pull: 9, rpm, modelValue: [] },
    global: {
      plugins: [[VueQueryPlugin, { queryClient }]],
      stubs: { VBtn: { template: '<button><slot /></button>' } },
    },
  })
}
const press = (key: string) => window.dispatchEvent(new KeyboardEvent('keydown', { key }))

test('a key marks the speed of that moment, and what could not be written is said and tried again', async () => {
  vi.useFakeTimers()
  posted.mockResolvedValueOnce({ error: new Error('the database is away') }).mockResolvedValue({ data: {} })
  const marks = shown(4320.4)
  press('f')
  await vi.advanceTimersByTimeAsync(10)
  expect(posted.mock.calls[0]![1].body).toEqual({ kind: 'seen', text: '', pull_id: 9, rpm: 4320 })
  expect(marks.text()).toContain('Flash at 4320 rpm, not saved yet: tried again')
  await vi.advanceTimersByTimeAsync(2100)
  expect(posted).toHaveBeenCalledTimes(2)
  expect(marks.text()).not.toContain('not saved yet')
  expect(marks.emitted('update:modelValue')!.at(-1)).toEqual([[{ rpm: 4320, label: 'Flash', pull: 9 }]])
  marks.unmount()
  press('f')
  expect(posted).toHaveBeenCalledTimes(2)
  vi.useRealTimers()
})

test('without a speed nothing is marked', () => {
  posted.mockClear()
  shown(null)
  press('s')
  expect(posted).not.toHaveBeenCalled()
})
