import { useQuery } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'
import type { RouteLocationRaw } from 'vue-router'

import { answer, api, type Schema } from '../../app/api/client'

export type Found = Schema['FoundOut']
export type FoundKind = Found['kind']
export const PAGE_OF_ONE = 50

export const KIND_NAMES: Record<FoundKind, string> = {
  test: 'Tests',
  engine: 'Engines',
  part: 'Parts',
  pull: 'Pulls',
  note: 'Notes',
  decision: 'Decisions',
  report: 'Reports',
}

/** Where a thing that was found is looked at. */
export function placeOf(found: Found): RouteLocationRaw {
  const id = found.programme_id ?? found.id
  switch (found.kind) {
    case 'engine':
      return found.build_id ? { name: 'build', params: { id: found.build_id } } : { name: 'engines' }
    case 'part':
      return { name: 'part', params: { id: found.id } }
    case 'pull':
    case 'note':
      return found.pull_id
        ? { name: 'pull', params: { id, pull: found.pull_id } }
        : { name: 'pulls', params: { id } }
    case 'decision':
      return { name: 'verdict', params: { id } }
    case 'report':
      return { name: 'sheet', params: { id } }
    default:
      return { name: 'curves', params: { id } }
  }
}

/** What one line finds: some of each kind, or a page of one. */
export function useSearch(
  q: MaybeRefOrGetter<string>,
  kind: MaybeRefOrGetter<FoundKind | null> = null,
  page: MaybeRefOrGetter<number> = 1,
) {
  return useQuery({
    queryKey: computed(() => ['search', toValue(q).trim(), toValue(kind), toValue(page)] as const),
    queryFn: async ({ queryKey: [, q, kind, page], signal }) =>
      answer(await api.GET('/api/search', { params: { query: { q, kind, page } }, signal })),
    enabled: () => toValue(q).trim().length > 1,
    placeholderData: (before) => before,
    retry: false,
  })
}
