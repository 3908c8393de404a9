import { useQuery, useQueryClient } from '@tanstack/vue-query'

import { answer, api, type Schema } from '../../app/api/client'

export type StandRow = Schema['StandRow']
export type PersonRow = Schema['PersonOut']

export function useStands() {
  return useQuery({
    queryKey: ['stands'],
    queryFn: async () => answer(await api.GET('/api/stands')),
    refetchInterval: 1_000, // whether each is linked
  })
}

export function usePeople() {
  return useQuery({ queryKey: ['people'], queryFn: async () => answer(await api.GET('/api/people')) })
}

export function useShop() {
  return useQuery({ queryKey: ['shop'], queryFn: async () => answer(await api.GET('/api/shop')) })
}

/** How many there are of what a first pull needs. */
export function useHome() {
  return useQuery({ queryKey: ['home'], queryFn: async () => answer(await api.GET('/api/home')) })
}

/** Put something out of the lists, or back into them, and ask anew what is shown. */
export function useArchive() {
  const queries = useQueryClient()
  const paths = {
    part: (id: number, archived: boolean) =>
      api.PUT('/api/archive/parts/{part_id}', { params: { path: { part_id: id } }, body: { archived } }),
    engine: (id: number, archived: boolean) =>
      api.PUT('/api/archive/engines/{engine_id}', {
        params: { path: { engine_id: id } },
        body: { archived },
      }),
    programme: (id: number, archived: boolean) =>
      api.PUT('/api/archive/programmes/{programme_id}', {
        params: { path: { programme_id: id } },
        body: { archived },
      }),
  }
  return async (kind: keyof typeof paths, id: number, archived: boolean) => {
    answer(await paths[kind](id, archived))
    await queries.invalidateQueries()
  }
}
