import { useQuery } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'

export type Part = Schema['PartOut']
export type PartRow = Schema['PartRow']

export function useParts() {
  return useQuery({ queryKey: ['parts'], queryFn: async () => answer(await api.GET('/api/parts')) })
}

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

/** Find parts by name, by what else they are called, or by what they were made from. */
export function matching(parts: PartRow[], slot: string, sought: string): PartRow[] {
  const words = sought.trim().toLowerCase().split(/\s+/).filter(Boolean)
  return parts.filter((part) => {
    if (slot && part.slot !== slot) return false
    const text = [part.name, part.slot_label, part.made_from, part.modification, ...part.aliases]
      .join(' ')
      .toLowerCase()
    return words.every((word) => text.includes(word))
  })
}
