/** What of a long list is asked for: searched, sorted, paged; the address holds it. */
import { refDebounced } from '@vueuse/core'
import { computed } from 'vue'

import { useAddress, useAddressParts } from '../app/useAddress'

export const PAGE_ROWS = 25
const TYPING_MS = 250

export interface PageAsked {
  search: string
  sort: string
  order: 'asc' | 'desc'
  page: number
  size: number
  archived: boolean
}
export interface SortBy {
  key: string
  order: 'asc' | 'desc'
}

/** Search and sort of a list that came whole: the address holds them. */
export function useListAddress() {
  const sortText = useAddress('sort')
  return {
    search: useAddress('search', '', { step: false }),
    sortBy: computed({
      get: () => sortOf(sortText.value),
      set: ([first]: SortBy[]) => (sortText.value = first ? textOf(first) : ''),
    }),
  }
}
const textOf = ({ key, order }: SortBy) => `${key}-${order}`
function sortOf(text: string): SortBy[] {
  const [key = '', order] = text.split('-')
  return key ? [{ key, order: order === 'desc' ? 'desc' : 'asc' }] : []
}

export function usePaged() {
  const change = useAddressParts()
  const typed = useAddress('search')
  const pageText = useAddress('page', '1')
  const sortText = useAddress('sort')
  const archivedText = useAddress('archived')
  const settled = refDebounced(typed, TYPING_MS)
  const sort = computed(() => sortOf(sortText.value))
  const page = computed({
    get: () => Math.max(1, Number(pageText.value) || 1),
    set: (wanted: number) => (pageText.value = String(wanted)),
  })
  const archived = computed({
    get: () => archivedText.value === '1',
    set: (shown: boolean) => narrow({ archived: shown ? '1' : undefined }),
  })
  /** Asks for another list, which begins at its first page. */
  const narrow = (parts: Record<string, string | undefined>, options?: { step?: boolean }) =>
    change({ ...parts, page: undefined }, options)
  return {
    /** What is typed into the search field. */
    search: computed({
      get: () => typed.value,
      set: (text: string) => narrow({ search: text || undefined }, { step: false }),
    }),
    page,
    archived,
    narrow,
    /** As the table has it. */
    sortBy: computed({
      get: () => sort.value,
      set: ([first]: SortBy[]) => narrow({ sort: first && textOf(first) }),
    }),
    /** As the server has it. */
    asked: computed<PageAsked>(() => ({
      search: settled.value,
      sort: sort.value[0]?.key ?? '',
      order: sort.value[0]?.order ?? 'asc',
      page: page.value,
      size: PAGE_ROWS,
      archived: archived.value,
    })),
  }
}
