import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'

export type Guideline = Schema['GuidelineOut']
export type GuidelineTexts = Schema['GuidelineIn']

export const EMPTY: GuidelineTexts = {
  statement: '',
  slot: '',
  variable: '',
  step: '',
  measure: 'torque',
  claimed: 'more',
  smallest: '',
  low_rpm: '',
  high_rpm: '',
  engine_words: '',
}

export function useGuidelines(archived: MaybeRefOrGetter<boolean>) {
  return useQuery({
    queryKey: computed(() => ['guidelines', 'list', toValue(archived)] as const),
    queryFn: async ({ queryKey: [, , archived] }) =>
      answer(await api.GET('/api/guidelines', { params: { query: { archived } } })),
    placeholderData: (before) => before,
    // Some tests may still be worked out: then it comes again by itself.
    refetchInterval: (query) => (query.state.data?.some((row) => row.waiting) ? 10_000 : false),
  })
}

export function useGuideline(id: MaybeRefOrGetter<number>) {
  return useQuery({
    queryKey: computed(() => ['guidelines', 'one', toValue(id)] as const),
    queryFn: async ({ queryKey: [, , guideline_id] }) =>
      answer(await api.GET('/api/guidelines/{guideline_id}', { params: { path: { guideline_id } } })),
    refetchInterval: (query) => (query.state.data?.said.waiting ? 10_000 : false),
  })
}

export function useGuidelineChoices() {
  return useQuery({
    queryKey: ['guidelines', 'choices'],
    queryFn: async () => answer(await api.GET('/api/guideline-choices')),
    staleTime: Infinity,
  })
}

/** Take an answer over as what is known of its guideline, and have the lists read anew. */
export function useKeepGuideline() {
  const queries = useQueryClient()
  return async (found: Guideline) => {
    queries.setQueryData(['guidelines', 'one', found.said.id], found)
    await queries.invalidateQueries({ queryKey: ['guidelines', 'list'] })
  }
}
