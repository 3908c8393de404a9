import { useQuery } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'

import { answer, api } from '../../app/api/client'

/** What the mixture adviser says of a pull; the curve and the sentences read one answer. */
export function useMixtureAdvice(pull: MaybeRefOrGetter<number>) {
  return useQuery({
    queryKey: computed(() => ['mixture', toValue(pull)] as const),
    queryFn: async ({ queryKey: [, pull_id] }) =>
      answer(await api.GET('/api/pulls/{pull_id}/mixture-advice', { params: { path: { pull_id } } })),
  })
}
