/** What the server knows of curves, verdict, decisions and sheets of a programme. */
import { useQuery } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'

import { answer, api } from '../../app/api/client'
type Id = MaybeRefOrGetter<number>

/** As the server reads it; empty texts and missing ends leave it to the programme. */
export interface Choice {
  standard: string
  school: string
  measure: string
  duty: string
  points: string
  low?: number
  high?: number
  account_for: string
  healthy_only: boolean
  counting: string
}

export interface CurvesAsked {
  standard: string
  school?: string
  counting?: string
  reference?: number
}

export function useCurves(
  id: Id,
  asked: MaybeRefOrGetter<CurvesAsked>,
  wanted: MaybeRefOrGetter<boolean> = true,
) {
  return useQuery({
    queryKey: computed(() => ['curves', toValue(id), toValue(asked)] as const),
    queryFn: async ({ queryKey: [, programme_id, query] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/curves', { params: { path: { programme_id }, query } }),
      ),
    placeholderData: (before) => before,
    enabled: () => toValue(wanted),
  })
}

export function useOverlays(id: Id, choice: MaybeRefOrGetter<Choice>, wanted: MaybeRefOrGetter<boolean>) {
  return useQuery({
    queryKey: computed(() => {
      const { standard, counting } = toValue(choice)
      return ['overlays', toValue(id), { standard, counting }] as const
    }),
    queryFn: async ({ queryKey: [, programme_id, query] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/overlays', {
          params: { path: { programme_id }, query },
        }),
      ),
    enabled: () => toValue(wanted),
  })
}

export function useSteps(id: Id, choice: MaybeRefOrGetter<Choice>) {
  return useQuery({
    queryKey: computed(() => ['steps', toValue(id), toValue(choice)] as const),
    queryFn: async ({ queryKey: [, programme_id, { standard, school, duty, counting }] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/steps', {
          params: { path: { programme_id }, query: { standard, school, duty, counting } },
        }),
      ),
    placeholderData: (before) => before,
  })
}

/** One verdict: also to be asked for ahead, so that it is there when somebody chooses it. */
export function verdictQuery(id: number, choice: Choice) {
  return {
    queryKey: ['verdict', id, choice] as const,
    queryFn: async () =>
      answer(
        await api.GET('/api/programmes/{programme_id}/verdict', {
          params: { path: { programme_id: id }, query: choice },
        }),
      ),
  }
}

export function useVerdict(id: Id, choice: MaybeRefOrGetter<Choice>) {
  return useQuery(
    computed(() => ({
      ...verdictQuery(toValue(id), toValue(choice)),
      placeholderData: <Found>(before: Found | undefined) => before,
    })),
  )
}

export function useRobustness(id: Id, choice: MaybeRefOrGetter<Choice>, wanted: MaybeRefOrGetter<boolean>) {
  return useQuery({
    queryKey: computed(() => ['robustness', toValue(id), toValue(choice)] as const),
    queryFn: async ({ queryKey: [, programme_id, query] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/robustness', {
          params: { path: { programme_id }, query },
        }),
      ),
    enabled: () => toValue(wanted),
  })
}

/** Who leads at each level of a test that crosses parts with one. */
export function useRegimes(id: Id, choice: MaybeRefOrGetter<Choice>, wanted: MaybeRefOrGetter<boolean>) {
  return useQuery({
    queryKey: computed(() => ['regimes', toValue(id), toValue(choice)] as const),
    queryFn: async ({ queryKey: [, programme_id, query] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/regimes', {
          params: { path: { programme_id }, query },
        }),
      ),
    placeholderData: (before) => before,
    enabled: () => toValue(wanted),
  })
}

/** How boost was held, and what it did. */
export function useBoosted(id: Id, choice: MaybeRefOrGetter<Choice>, wanted: MaybeRefOrGetter<boolean>) {
  return useQuery({
    queryKey: computed(() => ['boosted', toValue(id), toValue(choice)] as const),
    queryFn: async ({ queryKey: [, programme_id, query] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/boosted', {
          params: { path: { programme_id }, query },
        }),
      ),
    placeholderData: (before) => before,
    enabled: () => toValue(wanted),
  })
}

/** Evidence for and against each place that the air passes. */
export function useRestriction(id: Id, choice: MaybeRefOrGetter<Choice>, wanted: MaybeRefOrGetter<boolean>) {
  return useQuery({
    queryKey: computed(() => ['restriction', toValue(id), toValue(choice)] as const),
    queryFn: async ({ queryKey: [, programme_id, query] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/restriction', {
          params: { path: { programme_id }, query },
        }),
      ),
    placeholderData: (before) => before,
    enabled: () => toValue(wanted),
  })
}

/** What each setup asks for next, and its manners. */
export function useKnockOn(id: Id, choice: MaybeRefOrGetter<Choice>) {
  return useQuery({
    queryKey: computed(() => ['knock-on', toValue(id), toValue(choice)] as const),
    queryFn: async ({ queryKey: [, programme_id, query] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/knock-on', {
          params: { path: { programme_id }, query },
        }),
      ),
    placeholderData: (before) => before,
  })
}

export function useVerdictChoices() {
  return useQuery({
    queryKey: ['verdict-choices'],
    queryFn: async () => answer(await api.GET('/api/verdict-choices')),
    staleTime: Infinity,
  })
}

export function useDecisions(id: Id) {
  return useQuery({
    queryKey: computed(() => ['decisions', toValue(id)] as const),
    queryFn: async ({ queryKey: [, programme_id] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/decisions', { params: { path: { programme_id } } }),
      ),
  })
}

export function useSheets(id: Id) {
  return useQuery({
    queryKey: computed(() => ['sheets', toValue(id)] as const),
    queryFn: async ({ queryKey: [, programme_id] }) =>
      answer(await api.GET('/api/programmes/{programme_id}/sheets', { params: { path: { programme_id } } })),
  })
}
