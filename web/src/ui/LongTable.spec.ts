import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'
import { h } from 'vue'

import { vuetify } from '../app/theme'
import LongTable from './LongTable.vue'

interface Reading {
  at: number
  by: string
}
const COLUMNS = [
  {
    key: 'at',
    title: 'Time',
    value: (row: object) => (row as Reading).at,
    text: (row: object) => `${(row as Reading).at} o'clock`,
  },
  { key: 'by', title: 'Read by', words: true, value: (row: object) => (row as Reading).by },
  { key: 'void', title: 'Void', silent: true },
]
const rows = (count: number): Reading[] =>
  Array.from({ length: count }, (_, at) => ({ at, by: at % 2 ? 'stand' : 'by hand' }))

function show(props: Record<string, unknown> = {}) {
  return mount(LongTable, {
    props: { noun: 'reading', columns: COLUMNS, rows: rows(12), ...props },
    slots: {
      row: ({ item }: { item: object }) =>
        h('tr', { class: 'row' }, [h('td', (item as Reading).at), h('td', (item as Reading).by)]),
      empty: () => h('p', 'No reading yet.'),
    },
    global: { plugins: [vuetify] },
  })
}

test('it is searched over what its columns hold, and says how many of how many are left', () => {
  const shown = show({ search: 'HAND' })
  expect(shown.findAll('.row').map((row) => row.text())).toEqual(
    [0, 2, 4, 6, 8, 10].map((at) => `${at}by hand`),
  )
  expect(shown.get('[role="status"]').text()).toBe('6 of 12 readings')
  expect(show({ search: "7 o'c" }).get('.row').text()).toBe('7stand') // as it is shown
  expect(show({ search: 'nobody' }).text()).toContain('Nothing matches “nobody”.')
})

test('a short list has no search, an empty one says so', () => {
  expect(
    show({ rows: rows(4) })
      .find('input')
      .exists(),
  ).toBe(false)
  expect(show({ rows: [] }).text()).toBe('No reading yet.')
})

test('it sorts by columns that hold something, and not where its order means something', () => {
  const shown = show({ sortBy: [{ key: 'at', order: 'desc' }] })
  expect(shown.get('.row').text()).toBe('11stand')
  const sortable = (table: ReturnType<typeof show>) =>
    table.findAll('th').map((head) => head.classes('v-data-table__th--sortable'))
  expect(sortable(shown)).toEqual([true, true, false])
  expect(sortable(show({ ordered: true }))).toEqual([false, false, false])
})

test('of hundreds only those in sight are drawn', () => {
  expect(show({ rows: rows(900) }).findAll('.row').length).toBeLessThan(200)
})
