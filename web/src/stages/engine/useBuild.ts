import { useQuery } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'

export type Build = Schema['BuildOut']
export type Group = Schema['GroupOut']
export type Line = Schema['LineOut']
export type Figure = Schema['FigureOut']
export type Reading = Schema['ReadingOut']
export type Origin = Schema['Origin']

/** Where a value can come from when it is not measured, the commonest first. */
export const NOMINAL: Origin[] = ['catalog', 'reported', 'calculated', 'assumed']

/** One revision with its sheet and all that follows from it. */
export function useBuild(id: MaybeRefOrGetter<number>) {
  return useQuery({
    queryKey: computed(() => ['build', toValue(id)] as const),
    queryFn: async ({ queryKey: [, build_id] }) =>
      answer(await api.GET('/api/builds/{build_id}', { params: { path: { build_id } } })),
    placeholderData: (before) => before,
  })
}
