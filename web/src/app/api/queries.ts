import { type QueryClient, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue, watch } from 'vue'

import { answer, api, type Schema } from './client'

/** Who is signed in. Fails with code signed_out where nobody is. */
export function useMe() {
  return useQuery({
    queryKey: ['me'],
    queryFn: async () => answer(await api.GET('/api/me')),
    staleTime: 60_000,
  })
}

export function useProgramme(id: MaybeRefOrGetter<number>) {
  return useQuery({
    queryKey: computed(() => ['programme', toValue(id)] as const),
    queryFn: async ({ queryKey: [, programme_id] }) =>
      answer(await api.GET('/api/programmes/{programme_id}', { params: { path: { programme_id } } })),
  })
}

const OPEN_MS = 10_000
const CLOSED_MS = 30_000

/** Ribbon, session and air: what the frame shows on every screen. */
export function useDay(id: MaybeRefOrGetter<number>) {
  return useQuery({
    queryKey: computed(() => ['day', toValue(id)] as const),
    queryFn: async ({ queryKey: [, programme_id] }) =>
      answer(await api.GET('/api/programmes/{programme_id}/day', { params: { path: { programme_id } } })),
    refetchInterval: ({ state: { data } }) =>
      data?.session && !data.session.closed_at ? OPEN_MS : CLOSED_MS,
  })
}

/**
 * Pulls come from elsewhere, too: of somebody else, or of a recorder that writes files. Once the ribbon shows one the
 * rest of the screen does.
 */
export function useOthersPulls(day: () => Schema['StandDay']) {
  const queries = useQueryClient()
  watch(
    () =>
      day()
        .pulls.map(({ id, state, standing }) => `${id} ${state} ${standing}`)
        .join(),
    // After an action of our own everything is asked already: it is not asked twice.
    () => void queries.invalidateQueries({ predicate: follows }, { cancelRefetch: false }),
  )
}
const follows = ({ queryKey: [kind] }: { queryKey: readonly unknown[] }) =>
  kind !== 'day' && !STANDS_STILL.has(kind)

export function useStandNow(id: MaybeRefOrGetter<number>) {
  return useQuery({
    queryKey: computed(() => ['stand', toValue(id)] as const),
    queryFn: async ({ queryKey: [, programme_id] }) =>
      answer(await api.GET('/api/programmes/{programme_id}/stand', { params: { path: { programme_id } } })),
    refetchInterval: 5_000,
  })
}

export function usePullLog(id: MaybeRefOrGetter<number>, standard: MaybeRefOrGetter<string>) {
  return useQuery({
    queryKey: computed(() => ['pulls', toValue(id), toValue(standard)] as const),
    queryFn: async ({ queryKey: [, programme_id, standard] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/pulls', {
          params: { path: { programme_id }, query: { standard } },
        }),
      ),
  })
}

/** The observed curve of one pull; nothing is asked while there is no pull. */
export function useObservedCurve(pull: MaybeRefOrGetter<number | null>) {
  return useQuery({
    queryKey: computed(() => ['observed', toValue(pull)] as const),
    queryFn: async ({ queryKey: [, pull_id] }) =>
      answer(await api.GET('/api/pulls/{pull_id}/curve', { params: { path: { pull_id: pull_id! } } })),
    enabled: () => toValue(pull) !== null,
    staleTime: Infinity,
  })
}

/** What no pull changes. */
export const STANDS_STILL = new Set<unknown>(['me', 'cautions', 'limits', 'windows', 'slots', 'checklist'])

/** Ask anew what is shown, the day first: it says what comes next at the stand. */
export async function refresh(queries: QueryClient, but = new Set<unknown>()): Promise<void> {
  await queries.invalidateQueries({ queryKey: ['day'] })
  void queries.invalidateQueries({ predicate: ({ queryKey: [kind] }) => kind !== 'day' && !but.has(kind) })
}

/** An action on the server; afterwards everything shown is asked anew. */
export function useAction<Given, Result>(act: (given: Given) => Promise<Result>) {
  const queries = useQueryClient()
  return useMutation({ mutationFn: act, onSettled: () => refresh(queries) })
}
