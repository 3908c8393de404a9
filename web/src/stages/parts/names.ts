/** Parts by name and slot, as fields and matrices need them: what was once read is known from then on. */
import { useQuery } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, shallowReactive, toValue } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'

export type PartName = Schema['PartName']

const known = shallowReactive(new Map<number, PartName>())
const learn = (rows: PartName[]) => rows.forEach((row) => known.set(row.id, row))

/** Offers parts of a slot, or of all, by what is typed. */
export async function findParts(search: string, slot = '') {
  const found = answer(await api.GET('/api/part-names', { params: { query: { search, slot } } }))
  learn(found.rows)
  return found
}

/** The parts of these numbers that are known by now; those that are not are asked for. */
export function usePartNames(ids: MaybeRefOrGetter<number[]>) {
  const missing = computed(() =>
    [...new Set(toValue(ids))].filter((id) => !known.has(id)).sort((one, other) => one - other),
  )
  useQuery({
    queryKey: computed(() => ['part-names', missing.value] as const),
    queryFn: async ({ queryKey: [, ids] }) => {
      const found = answer(await api.GET('/api/part-names', { params: { query: { ids: [...ids] } } }))
      learn(found.rows)
      return found.rows.length
    },
    enabled: () => missing.value.length > 0,
  })
  return (id: number) => known.get(id)
}

/** The slots that hold any part. */
export function useFilledSlots() {
  return useQuery({
    queryKey: ['part-names', 'slots'],
    queryFn: async () => (await findParts('')).slots,
  })
}
