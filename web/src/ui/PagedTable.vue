<script setup lang="ts" generic="T extends object">
/**
 * A long list: a search field, columns that sort, a page at a time from the server. Slots: `filter` beside the search,
 * `row` with the item (a whole `tr`), `empty` where nothing is found and nothing was sought.
 */
import { computed, useTemplateRef } from 'vue'

import { useKeys } from '../app/keys'
import ProblemNote from './ProblemNote.vue'
import { PAGE_ROWS, type SortBy } from './usePaged'
import LoadingLine from './LoadingLine.vue'

interface Column {
  key: string
  title: string
  sortable?: boolean
  align?: 'start' | 'end'
}
const props = defineProps<{
  /** One of what the list holds; a regular noun. */
  noun: string
  columns: Column[]
  /** The page; undefined while it is on its way. */
  rows: T[] | undefined
  total: number
  /** Who sends the page is asked, and has not answered. */
  busy?: boolean
  error?: Error | null
  placeholder?: string
}>()
const search = defineModel<string>('search', { required: true })
const page = defineModel<number>('page', { required: true })
const sortBy = defineModel<SortBy[]>('sortBy', { required: true })
const field = useTemplateRef<{ focus: () => void }>('field')
const label = computed(() => `${props.noun}s`)
const pages = computed(() => Math.ceil(props.total / PAGE_ROWS))
const headers = computed(() => props.columns.map((column) => ({ sortable: false, ...column })))
useKeys([{ key: '/', label: '/', does: `Search ${label.value}`, press: () => field.value?.focus() }])
</script>

<template>
  <div>
    <div class="d-flex flex-wrap align-center ga-2 mb-2">
      <v-text-field
        ref="field"
        class="w-320"
        type="search"
        clearable
        :model-value="search"
        :placeholder="placeholder"
        :aria-label="`Search ${label}`"
        @update:model-value="search = $event ?? ''"
      />
      <slot name="filter" />
      <span v-if="rows" class="quiet ml-auto" role="status"
        >{{ total }} {{ total === 1 ? noun : label }}</span
      >
    </div>
    <ProblemNote :error="error" />
    <v-skeleton-loader v-if="!rows && !error" type="table-tbody" />
    <slot v-else-if="rows && !rows.length && !search" name="empty" />
    <p v-else-if="rows && !rows.length" class="text">Nothing matches “{{ search }}”.</p>
    <v-data-table-server
      v-else-if="rows"
      v-model:sort-by="sortBy"
      v-model:page="page"
      class="stuck"
      :headers="headers"
      :items="rows"
      :items-length="total"
      :items-per-page="PAGE_ROWS"
      :loading="busy"
      :aria-label="label"
      hide-default-footer
    >
      <template #loader="{ isActive }"><LoadingLine :active="isActive" /></template>
      <template #item="{ item }"><slot name="row" :item="item as T" /></template>
    </v-data-table-server>
    <v-pagination
      v-if="pages > 1"
      v-model="page"
      class="mt-2"
      density="compact"
      :length="pages"
      :total-visible="7"
    />
  </div>
</template>
