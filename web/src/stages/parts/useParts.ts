import { useQuery } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'

export type Part = Schema['PartOut']
export type PartRow = Schema['PartRow']

export function useSlots() {
  return useQuery({
    queryKey: ['slots'],
    queryFn: async () => answer(await api.GET('/api/slots')),
    staleTime: 60_000,
  })
}

export function usePart(id: MaybeRefOrGetter<number>) {
  return useQuery({
    queryKey: computed(() => ['part', toValue(id)] as const),
    queryFn: async ({ queryKey: [, part_id] }) =>
      answer(await api.GET('/api/parts/{part_id}', { params: { path: { part_id } } })),
  })
}

/** Where a part was used before, and how it did. */
export function useUses(id: MaybeRefOrGetter<number>) {
  return useQuery({
    queryKey: computed(() => ['uses', toValue(id)] as const),
    queryFn: async ({ queryKey: [, part_id] }) =>
      answer(await api.GET('/api/parts/{part_id}/uses', { params: { path: { part_id } } })),
  })
}
