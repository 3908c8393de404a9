import { useQuery } from '@tanstack/vue-query'

import { answer, api } from '../../../app/api/client'

/** What rows of a map may be called, with the units in which they may come. */
export function useMapChoices() {
  return useQuery({
    queryKey: ['map-choices'],
    queryFn: async () => answer(await api.GET('/api/stands/map-choices')),
    staleTime: Infinity,
  })
}
