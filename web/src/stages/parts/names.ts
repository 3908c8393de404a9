/** Parts by name and slot, as fields and matrices need them: what was once read is known from then on. */
import { useQuery } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, shallowReactive, toValue } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'

export type PartName = Schema['PartName']

const known = shallowReactive(new Map<number, PartName>())
/** Asked for, and not there: deleted, or not this person's to see. */
const gone = shallowReactive(new Set<number>())
const learn = (rows: PartName[]) => rows.forEach((row) => known.set(row.id, row))

/** Offers parts of a slot, or of all, by what is typed. */
export async function findParts(search: string, slot = '') {
  const found = answer(await api.GET('/api/part-names', { params: { query: { search, slot } } }))
  learn(found.rows)
  return found
}

/** The parts of these numbers: as they were last read, until the answer that is asked for now is there. */
export function usePartNames(ids: MaybeRefOrGetter<number[]>) {
  const asked = computed(() => [...new Set(toValue(ids))].sort((one, other) => one - other))
  useQuery({
    queryKey: computed(() => ['parts', 'names', asked.value] as const),
    queryFn: async ({ queryKey: [, , ids] }) => {
      const found = answer(await api.GET('/api/part-names', { params: { query: { ids: [...ids] } } }))
      learn(found.rows)
      const there = new Set(found.rows.map((row) => row.id))
      ids.forEach((id) => (there.has(id) ? gone.delete(id) : gone.add(id)))
      return found.rows.length
    },
    enabled: () => asked.value.length > 0,
  })
  return {
    partOf: (id: number) => (gone.has(id) ? undefined : known.get(id)),
    /** Of each it is known what it is, or that it is not there. */
    areKnown: computed(() => asked.value.every((id) => known.has(id) || gone.has(id))),
  }
}

/** The slots that hold any part. */
export function useFilledSlots() {
  return useQuery({
    queryKey: ['parts', 'filled slots'],
    queryFn: async () => (await findParts('')).slots,
  })
}
