import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'
import { h } from 'vue'

import { vuetify } from '../app/theme'
import PagedTable from './PagedTable.vue'

const COLUMNS = [
  { key: 'name', title: 'Part', sortable: true },
  { key: 'slot', title: 'Slot' },
]
function show(props: Record<string, unknown> = {}) {
  return mount(PagedTable, {
    props: {
      noun: 'part',
      columns: COLUMNS,
      rows: [{ name: 'Long runner' }, { name: 'Short runner' }],
      total: 2,
      search: '',
      page: 1,
      sortBy: [],
      ...props,
    },
    slots: {
      row: ({ item }: { item: object }) => h('tr', [h('td', (item as { name: string }).name)]),
      empty: () => h('p', 'No part yet'),
    },
    global: { plugins: [vuetify, [VueQueryPlugin, { queryClient: new QueryClient() }]] },
  })
}

test('a row for each, how many there are in all, and no pages where one is enough', () => {
  const shown = show()
  expect(shown.findAll('tbody tr').map((row) => row.text())).toEqual(['Long runner', 'Short runner'])
  expect(shown.get('[role="status"]').text()).toBe('2 parts')
  expect(shown.find('.v-pagination').exists()).toBe(false)
  expect(show({ total: 1 }).get('[role="status"]').text()).toBe('1 part')
  expect(show({ total: 60 }).find('.v-pagination').exists()).toBe(true)
})

test('a head sorts where it may, and says by what', async () => {
  const shown = show()
  await shown.findAll('th')[0]!.trigger('click')
  expect(shown.emitted('update:sortBy')![0]).toEqual([[{ key: 'name', order: 'asc' }]])
  await shown.findAll('th')[1]!.trigger('click')
  expect(shown.emitted('update:sortBy')).toHaveLength(1)
})

test('what is typed is sought, and clearing it seeks nothing', async () => {
  const shown = show()
  await shown.get('input').setValue('long')
  expect(shown.emitted('update:search')).toEqual([['long']])
})

test('nothing there, nothing found and not there yet are three things', () => {
  expect(show({ rows: [], total: 0 }).text()).toContain('No part yet')
  expect(show({ rows: [], total: 0, search: 'brass' }).text()).toContain('Nothing matches “brass”.')
  const waiting = show({ rows: undefined, total: 0 })
  expect(waiting.find('.v-skeleton-loader').exists()).toBe(true)
  expect(waiting.text()).not.toContain('No part')
})

test('what went wrong stands over the list', () => {
  expect(
    show({ rows: undefined, error: new Error('The server failed.') })
      .get('.v-alert')
      .text(),
  ).toContain('The server failed.')
})
