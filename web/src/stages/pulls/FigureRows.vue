<script setup lang="ts">
/** Rows of a printed table, field by field; a paste of several rows fills as many. Given on as tabbed text. */
import { nextTick, ref, useTemplateRef, watch } from 'vue'

defineProps<{
  torqueUnit: string
  powerUnit: string
}>()
/** A row a line, its cells between tabs; a line of the text is a row here. */
const text = defineModel<string>({ required: true })
const CELLS = ['Speed', 'Torque', 'Power'] as const
const FEWEST = 8
const body = useTemplateRef<HTMLElement>('body')

/** Cells of a pasted line: between tabs or semicolons, else between blanks. */
function cellsOf(line: string): string[] {
  const parts = /[\t;]/.test(line) ? line.split(/[\t;]/) : line.trim().split(/\s+/)
  return CELLS.map((_, at) => parts[at]?.trim() ?? '')
}
function rowsOf(whole: string): string[][] {
  const found = whole.replace(/\r/g, '').replace(/\n$/, '').split('\n').map(cellsOf)
  while (found.length < FEWEST || found.at(-1)!.some(Boolean)) found.push(['', '', ''])
  return found
}
function textOf(all: string[][]): string {
  const last = all.findLastIndex((row) => row.some(Boolean))
  return all
    .slice(0, last + 1)
    .map((row) => row.join('\t'))
    .join('\n')
}
const rows = ref(rowsOf(text.value))
watch(text, (whole) => {
  if (whole !== textOf(rows.value)) rows.value = rowsOf(whole) // a draft that is brought back
})

function write(row: number, cell: number, typed: string) {
  rows.value[row]![cell] = typed
  if (rows.value.at(-1)!.some(Boolean)) rows.value.push(['', '', ''])
  text.value = textOf(rows.value)
}
function paste(event: ClipboardEvent, row: number) {
  const pasted = event.clipboardData?.getData('text') ?? ''
  if (!/\n|\t/.test(pasted.trim())) return
  event.preventDefault()
  const before = rows.value.slice(0, row)
  const lines = pasted.replace(/\r/g, '').trimEnd().split('\n').map(cellsOf)
  const after = rows.value.slice(row + lines.length).filter((one) => one.some(Boolean))
  text.value = textOf([...before, ...lines, ...after])
  rows.value = rowsOf(text.value)
}
function below(row: number) {
  void nextTick(() =>
    body.value?.querySelectorAll<HTMLInputElement>('tr')[row + 1]?.querySelector('input')?.focus(),
  )
}
</script>

<template>
  <v-table class="figures close" data-test="figure-rows">
    <caption>
      As printed; leave missing values blank. Rows copied from a sheet can be pasted into the first field.
    </caption>
    <thead>
      <tr>
        <th class="w-60">Line</th>
        <th>rpm</th>
        <th>{{ torqueUnit }}</th>
        <th>{{ powerUnit }}</th>
      </tr>
    </thead>
    <tbody ref="body">
      <tr v-for="(row, at) in rows" :key="at">
        <td class="quiet">{{ at + 1 }}</td>
        <td v-for="(name, cell) in CELLS" :key="name">
          <v-text-field
            class="number"
            inputmode="decimal"
            autocomplete="off"
            :model-value="row[cell]"
            :aria-label="`${name}, line ${at + 1}`"
            @update:model-value="write(at, cell, $event)"
            @paste="paste($event, at)"
            @keydown.enter.prevent="below(at)"
          />
        </td>
      </tr>
    </tbody>
  </v-table>
</template>
