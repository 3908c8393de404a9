import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'

export type NextPull = Schema['NextPull']

/** What has to be done before the next pull of a setup. Nothing is asked while no session is open. */
export function useNextPull(session: MaybeRefOrGetter<number | null>, setup: MaybeRefOrGetter<number>) {
  const key = computed(() => ['next', toValue(session), toValue(setup)] as const)
  const queries = useQueryClient()
  const found = useQuery({
    queryKey: key,
    queryFn: async ({ queryKey: [, session_id, setup_id] }) =>
      answer(
        await api.GET('/api/sessions/{session_id}/next', {
          params: { path: { session_id: session_id! }, query: { setup_id } },
        }),
      ),
    enabled: () => toValue(session) !== null,
    refetchInterval: 15_000,
    placeholderData: (before) => before,
  })
  // An answer that is still on its way was asked before: it must not take the place of what comes of the action.
  const hold = () => queries.cancelQueries({ queryKey: key.value })
  const take = (fresh: NextPull) => queries.setQueryData(key.value, fresh)
  const tick = useMutation({
    mutationFn: async (body: Schema['TickIn']) =>
      answer(
        await api.POST('/api/sessions/{session_id}/checklist-entries', {
          params: { path: { session_id: toValue(session)! } },
          body,
        }),
      ),
    onMutate: hold,
    onSuccess: take,
  })
  const begin = useMutation({
    mutationFn: async (setup_id: number) =>
      answer(
        await api.POST('/api/sessions/{session_id}/changes', {
          params: { path: { session_id: toValue(session)! } },
          body: { setup_id },
        }),
      ),
    onMutate: hold,
    onSuccess: take,
  })
  const fill = useMutation({
    mutationFn: async (volume: string) =>
      answer(
        await api.POST('/api/sessions/{session_id}/tank', {
          params: { path: { session_id: toValue(session)! } },
          body: { setup_id: toValue(setup), volume },
        }),
      ),
    onMutate: hold,
    onSuccess: take,
  })
  const record = useMutation({
    mutationFn: async (body: Schema['SwapRecordIn']) =>
      answer(
        await api.POST('/api/sessions/{session_id}/swap-record', {
          params: { path: { session_id: toValue(session)! } },
          body,
        }),
      ),
    onMutate: hold,
    onSuccess: take,
  })
  const measure = useMutation({
    mutationFn: async (body: { key: string; text: string }) =>
      answer(
        await api.POST('/api/sessions/{session_id}/removal-readings', {
          params: { path: { session_id: toValue(session)! } },
          body: { setup_id: toValue(setup), ...body },
        }),
      ),
    onMutate: hold,
    onSuccess: take,
    onSettled: () => queries.invalidateQueries({ queryKey: ['notes'] }),
  })
  const revise = useMutation({
    mutationFn: async () =>
      answer(
        await api.POST('/api/sessions/{session_id}/removal-revision', {
          params: { path: { session_id: toValue(session)! } },
          body: { setup_id: toValue(setup) },
        }),
      ),
    onMutate: hold,
    onSuccess: take,
    onSettled: () => queries.invalidateQueries({ queryKey: ['build'] }),
  })
  return { next: found.data, error: found.error, tick, begin, fill, record, measure, revise }
}

export function useCautions(programme: MaybeRefOrGetter<number>) {
  return useQuery({
    queryKey: computed(() => ['cautions', toValue(programme)] as const),
    queryFn: async ({ queryKey: [, programme_id] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/cautions', { params: { path: { programme_id } } }),
      ),
  })
}

/** What was said wrong of a field, or of the whole. */
export function saidOf(error: unknown, field?: string): string {
  if (!(error instanceof Problem)) return error instanceof Error && !field ? error.message : ''
  if (field) return error.fields[field] ?? ''
  return [error.message, ...Object.values(error.fields)].join(' ')
}
