<script setup lang="ts">
/** Rows of a printed table, field by field; a paste of several rows fills as many. Given on as tabbed text. */
import { nextTick, ref, useTemplateRef, watch } from 'vue'

import { cellKey, type PrintedCell, type PrintedSheet } from './usePrintedSheet'

const props = defineProps<{
  torqueUnit: string
  powerUnit: string
  /** What was read off a picture: its page, its cells by row, and which of them nobody has looked at yet. */
  sheet?: PrintedSheet | null
  cells?: (PrintedCell | null)[][]
  open?: string[]
}>()
const emit = defineEmits<{ settled: [key: string] }>()
/** A row a line, its cells between tabs; a line of the text is a row here. */
const text = defineModel<string>({ required: true })
const CELLS = ['Speed', 'Torque', 'Power'] as const
const FEWEST = 8
const CLIPPING_PX = 18 // height of the print in a clipping
const MARGIN = 0.4 // of that, around it
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
  if (typed !== rows.value[row]![cell]) emit('settled', cellKey(row, cell))
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
const cellOf = (row: number, cell: number) => props.cells?.[row]?.[cell] ?? null
const marked = (row: number, cell: number) => props.open?.includes(cellKey(row, cell)) ?? false
const marksOf = (row: number) => [0, 1, 2].filter((cell) => marked(row, cell))
const rowAt = (row: number) => body.value?.querySelectorAll<HTMLElement>('tr[data-row]')[row]
/** A piece of the page, at the size of the type around it. */
function clipping({ clipping: { left, top, width, height } }: PrintedCell) {
  const { id, turned, width: page = 0 } = props.sheet!
  const scale = CLIPPING_PX / Math.max(height, 1)
  const edge = CLIPPING_PX * MARGIN
  return {
    width: `${width * scale + 2 * edge}px`,
    height: `${CLIPPING_PX + 2 * edge}px`,
    backgroundImage: `url(/api/printed-sheets/${id}/page?turned=${turned})`,
    backgroundSize: `${page * scale}px auto`,
    backgroundPosition: `${edge - left * scale}px ${edge - top * scale}px`,
  }
}
/** The next figure that is marked, from the first. */
function nextMarked() {
  const [row, cell] = props.open?.[0]?.split('.').map(Number) ?? []
  if (row === undefined || cell === undefined) return
  rowAt(row)?.querySelectorAll('input')[cell]?.focus()
}
defineExpose({ nextMarked })
function below(row: number) {
  void nextTick(() =>
    rowAt(row + 1)
      ?.querySelector('input')
      ?.focus(),
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
      <template v-for="(row, at) in rows" :key="at">
        <tr data-row>
          <td class="quiet">{{ at + 1 }}</td>
          <td v-for="(name, cell) in CELLS" :key="name">
            <div v-if="cellOf(at, cell)" class="d-flex align-center justify-end ga-1">
              <span class="small quiet d-none d-sm-inline">{{ cellOf(at, cell)!.confidence }} %</span>
              <div
                class="clipping"
                role="img"
                :aria-label="`Clipping of ${name.toLowerCase()}, line ${at + 1}, read with ${cellOf(at, cell)!.confidence} % confidence`"
                :style="clipping(cellOf(at, cell)!)"
              />
            </div>
            <v-text-field
              class="number"
              :class="{ 'hand-edge': marked(at, cell) }"
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
        <tr v-for="cell in marksOf(at)" :key="`mark ${cell}`" data-test="mark">
          <td />
          <td colspan="3" class="words prose size-13 text-left">
            {{ CELLS[cell] }}: {{ cellOf(at, cell)!.doubt }}
            <span class="d-flex flex-wrap ga-2 pb-2">
              <v-btn
                v-if="cellOf(at, cell)!.likely"
                size="small"
                @click="write(at, cell, cellOf(at, cell)!.likely)"
              >
                Use {{ cellOf(at, cell)!.likely }}
              </v-btn>
              <v-btn size="small" @click="emit('settled', cellKey(at, cell))">
                Keep {{ row[cell] || 'it empty' }}
              </v-btn>
            </span>
          </td>
        </tr>
      </template>
    </tbody>
  </v-table>
</template>

<style scoped>
.clipping {
  background-repeat: no-repeat;
  margin-left: auto;
}
</style>
