/** What of a long list is asked for: searched, sorted, paged; kept in the address. */
import { refDebounced } from '@vueuse/core'
import { computed } from 'vue'

import { useAddress } from '../app/useAddress'

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

export function usePaged() {
  const typed = useAddress('search', '', { step: false })
  const pageText = useAddress('page', '1')
  const sortText = useAddress('sort')
  const archivedText = useAddress('archived')
  const settled = refDebounced(typed, TYPING_MS)
  const sort = computed(() => {
    const [key = '', order] = sortText.value.split('-')
    return { key, order: order === 'desc' ? ('desc' as const) : ('asc' as const) }
  })
  return {
    /** What is typed into the search field. */
    search: typed,
    page: computed({
      get: () => Math.max(1, Number(pageText.value) || 1),
      set: (page: number) => (pageText.value = String(page)),
    }),
    archived: computed({
      get: () => archivedText.value === '1',
      set: (shown: boolean) => (archivedText.value = shown ? '1' : ''),
    }),
    /** As the table has it. */
    sortBy: computed({
      get: () => (sort.value.key ? [sort.value] : []),
      set: ([first]: { key: string; order: 'asc' | 'desc' }[]) =>
        (sortText.value = first ? `${first.key}-${first.order}` : ''),
    }),
    /** As the server has it. A search begins at its first page. */
    asked: computed<PageAsked>(() => ({
      search: settled.value,
      sort: sort.value.key,
      order: sort.value.order,
      page: Math.max(1, Number(pageText.value) || 1),
      size: PAGE_ROWS,
      archived: archivedText.value === '1',
    })),
  }
}
