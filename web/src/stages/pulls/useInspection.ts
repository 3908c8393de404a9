import { useQuery } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'

import { answer, api } from '../../app/api/client'

/** One pull reduced, with all that is known of it; nothing is asked while there is no pull. */
export function useInspection(pull: MaybeRefOrGetter<number | null>, standard: MaybeRefOrGetter<string>) {
  return useQuery({
    queryKey: computed(() => ['inspection', toValue(pull), toValue(standard)] as const),
    queryFn: async ({ queryKey: [, pull_id, standard] }) =>
      answer(
        await api.GET('/api/pulls/{pull_id}/inspection', {
          params: { path: { pull_id: pull_id! }, query: { standard } },
        }),
      ),
    enabled: () => toValue(pull) !== null,
    placeholderData: (before) => before,
  })
}

/** The samples of a pull as they were recorded. */
export function useRaw(pull: MaybeRefOrGetter<number | null>) {
  return useQuery({
    queryKey: computed(() => ['raw', toValue(pull)] as const),
    queryFn: async ({ queryKey: [, pull_id] }) =>
      answer(await api.GET('/api/pulls/{pull_id}/raw', { params: { path: { pull_id: pull_id! } } })),
    enabled: () => toValue(pull) !== null,
    staleTime: Infinity,
  })
}

/** The second pull held against the first. */
export function useComparison(
  programme: MaybeRefOrGetter<number>,
  first: MaybeRefOrGetter<number | null>,
  second: MaybeRefOrGetter<number | null>,
) {
  return useQuery({
    queryKey: computed(() => ['comparison', toValue(programme), toValue(first), toValue(second)] as const),
    queryFn: async ({ queryKey: [, programme_id, first, second] }) =>
      answer(
        await api.GET('/api/programmes/{programme_id}/comparability', {
          params: { path: { programme_id }, query: { first: first!, second: second! } },
        }),
      ),
    enabled: () => toValue(first) !== null && toValue(second) !== null,
  })
}
