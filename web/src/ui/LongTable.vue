<script setup lang="ts" generic="T extends object">
/**
 * A list of hundreds that came whole: a search over its columns, columns that sort, and only the rows in sight are
 * drawn. Slots: `filter` beside the search, `row` with the item and the `measure` its `tr` takes as ref, `empty`.
 * A list that the server searches is a `PagedTable`.
 */
import { computed, nextTick, useTemplateRef } from 'vue'
import type { ComponentPublicInstance, VNodeRef } from 'vue'

import { useKeys } from '../app/keys'
import type { SortBy } from './usePaged'

/** So many rows are read at a glance: nothing of them is searched. */
const SHORT_LIST = 10
/** So many are drawn whole; more scroll in a window of their own. */
const DRAWN_WHOLE = 25

interface Column {
  key: string
  /** The head; its lines are parted by a line feed. */
  title: string
  /** Words instead of figures: to the left, and wrapped. */
  words?: boolean
  /** What it is sorted by; without it the column is neither sorted nor searched. */
  value?: (row: T) => string | number | null | undefined
  /** What is searched, as it is shown; `value` where that is shown as it is. */
  text?: (row: T) => string
  /** The head is heard, not seen. */
  silent?: boolean
}
const props = defineProps<{
  /** One of what the list holds; a regular noun. */
  noun: string
  columns: Column[]
  rows: T[]
  /** Rows stand in an order that means something. */
  ordered?: boolean
  /** The one list of the screen: / goes to its search. */
  slash?: boolean
}>()
const search = defineModel<string>('search', { default: '' })
const sortBy = defineModel<SortBy[]>('sortBy', { default: () => [] })
const field = useTemplateRef<{ focus: () => void }>('field')
const table = useTemplateRef<ComponentPublicInstance & { scrollToIndex: (index: number) => void }>('table')
const label = computed(() => `${props.noun}s`)
const searched = computed(() => props.rows.length > SHORT_LIST || search.value !== '')
const found = computed(() => {
  const sought = search.value.trim().toLowerCase()
  if (!sought) return props.rows
  return props.rows.filter((row) =>
    props.columns.some(({ text, value }) =>
      `${text?.(row) ?? value?.(row) ?? ''}`.toLowerCase().includes(sought),
    ),
  )
})
const headers = computed(() =>
  props.columns.map((column) => ({
    key: column.key,
    title: column.title,
    sortable: Boolean(column.value) && !props.ordered,
    value: (row: T) => column.value?.(row) ?? '',
    headerProps: { class: [column.words && 'words', column.silent && 'silent'] },
  })),
)
if (props.slash)
  useKeys([{ key: '/', label: '/', does: `Search ${label.value}`, press: () => field.value?.focus() }])

defineExpose({
  /** Brings a row into sight, drawn or not. */
  show: async (row: T) => {
    await nextTick()
    const at = found.value.indexOf(row)
    if (at >= 0) table.value?.scrollToIndex(at)
  },
})
defineSlots<{
  filter?: () => unknown
  empty?: () => unknown
  row: (_: { item: T; measure: VNodeRef }) => unknown
}>()
</script>

<template>
  <div>
    <div v-if="searched || $slots.filter" class="d-flex flex-wrap align-center ga-2 mb-2">
      <v-text-field
        v-if="searched"
        ref="field"
        class="w-320"
        type="search"
        clearable
        :model-value="search"
        :aria-label="`Search ${label}`"
        :placeholder="`Search ${label}`"
        @update:model-value="search = $event ?? ''"
      />
      <slot name="filter" />
      <span class="quiet ml-auto" role="status"
        >{{ found.length < rows.length ? `${found.length} of ` : '' }}{{ rows.length }}
        {{ rows.length === 1 ? noun : label }}</span
      >
    </div>
    <slot v-if="!rows.length" name="empty" />
    <p v-else-if="!found.length" class="text">Nothing matches “{{ search }}”.</p>
    <v-data-table-virtual
      v-else
      ref="table"
      v-model:sort-by="sortBy"
      :class="['figures', 'long', { windowed: found.length > DRAWN_WHOLE }]"
      :headers="headers"
      :items="found"
      :aria-label="label"
    >
      <template #item="{ item, itemRef }">
        <slot name="row" :item="item as T" :measure="itemRef as VNodeRef" />
      </template>
    </v-data-table-virtual>
  </div>
</template>

<style scoped>
.windowed :deep(> .v-table__wrapper) {
  max-height: max(320px, calc(100dvh - 240px));
}
.long :deep(th) {
  white-space: pre-line;
}
.long :deep(th.silent .v-data-table-header__content) {
  clip-path: inset(50%);
}
@media print {
  .windowed :deep(> .v-table__wrapper) {
    max-height: none;
  }
}
</style>
