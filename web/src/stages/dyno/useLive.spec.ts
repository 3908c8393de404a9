import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { defineComponent } from 'vue'

import { useLive } from './useLive'

class FakeSource {
  static CLOSED = 2
  static made: FakeSource[] = []
  readyState = 0
  onopen = () => {}
  onerror = () => {}
  onmessage = (event: { data: string }) => void event
  constructor(readonly address: string) {
    FakeSource.made.push(this)
  }
  close() {
    this.readyState = FakeSource.CLOSED
  }
  say(message: object) {
    this.onmessage({ data: JSON.stringify(message) })
  }
}

beforeEach(() => {
  FakeSource.made = []
  vi.useFakeTimers()
  vi.stubGlobal('EventSource', FakeSource)
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

function watching() {
  let live!: ReturnType<typeof useLive>
  const Watcher = defineComponent({
    setup() {
      live = useLive(
        3,
        () => true,
        () => {},
      )
      return () => null
    },
  })
  const queries = new QueryClient()
  const screen = mount(Watcher, { global: { plugins: [[VueQueryPlugin, { queryClient: queries }]] } })
  return { live, screen, queries }
}

test('a stream that a failing server refused is asked for again, less and less often, until it stands', () => {
  const { live, screen } = watching()
  for (const [count, wait] of [
    [2, 1000],
    [3, 2000],
    [4, 4000],
  ]) {
    const source = FakeSource.made.at(-1)!
    source.readyState = FakeSource.CLOSED
    source.onerror()
    vi.advanceTimersByTime(wait! - 1)
    expect(FakeSource.made).toHaveLength(count! - 1)
    vi.advanceTimersByTime(1)
    expect(FakeSource.made).toHaveLength(count!)
  }
  FakeSource.made.at(-1)!.onopen()
  expect(live.streaming.value).toBe(true)
  screen.unmount()
  vi.advanceTimersByTime(60_000)
  expect(FakeSource.made).toHaveLength(4)
})

test('that the database is away is said until something comes again', () => {
  const { live } = watching()
  FakeSource.made[0]!.say({ type: 'database_lost' })
  expect(live.refused.value).toContain('The database does not answer')
  FakeSource.made[0]!.say({ type: 'link', connected: true, why: '' })
  expect(live.refused.value).toBe('')
})

test('a stand that does not stop is told until it has', () => {
  const { live } = watching()
  FakeSource.made[0]!.say({ type: 'not_stopped', why: 'THE STAND DID NOT STOP' })
  expect(live.notStopped.value).toBe('THE STAND DID NOT STOP')
  FakeSource.made[0]!.say({ type: 'not_stopped', why: '' })
  expect(live.notStopped.value).toBe('')
})

test('what is said of one moment is asked after once', async () => {
  const { queries } = watching()
  const asked: unknown[] = []
  vi.spyOn(queries, 'invalidateQueries').mockImplementation((given) => {
    asked.push(given)
    return Promise.resolve()
  })
  FakeSource.made[0]!.say({ type: 'command', pull: 1, name: 'start', ok: true, why: '' })
  FakeSource.made[0]!.say({ type: 'pull' })
  vi.advanceTimersByTime(100)
  expect(asked).toEqual([{ queryKey: ['day'] }])
  FakeSource.made[0]!.say({ type: 'pull' })
  vi.advanceTimersByTime(100)
  await vi.advanceTimersByTimeAsync(0)
  expect(asked).toContainEqual({ predicate: expect.any(Function) })
  expect(asked.filter((given) => !Object.hasOwn(given as object, 'predicate'))).toHaveLength(2)
})

test('a stream that the server ended shows nothing more and is asked for again', () => {
  const { live, queries } = watching()
  const asked: unknown[] = []
  vi.spyOn(queries, 'invalidateQueries').mockImplementation((given) => {
    asked.push(given)
    return Promise.resolve()
  })
  const frame = {
    type: 'frame',
    n: 1,
    state: 'idle',
    pull: null,
    values: {},
    faulty: [],
    sides: {},
    opens: {},
  }
  FakeSource.made[0]!.say({ ...frame, points: [] })
  expect(live.frame.value).not.toBeNull()
  FakeSource.made[0]!.say({ type: 'ended' })
  expect(live.frame.value).toBeNull()
  expect(asked).toEqual([undefined]) // everything, who is signed in among it
  vi.advanceTimersByTime(1000)
  expect(FakeSource.made).toHaveLength(2)
})
