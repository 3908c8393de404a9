/** A picture of a printed table on its way into the rows: sent, read by a worker, looked at cell by cell. */
import { computed, onMounted, ref } from 'vue'

import { answer, api, type Schema, upload } from '../../app/api/client'
import { useFrame } from '../../app/frame'
import { OVER, useJob } from '../../app/api/useJob'
import { useUnsaved } from '../../ui/useUnsaved'

export type PrintedSheet = Schema['PrintedSheetOut']
export type PrintedCell = Schema['PrintedCellOut']
export const NAMES = ['speed', 'torque', 'power'] as const

/** What a person may say of a sheet otherwise than it was read. */
const CHOSEN = [...NAMES, 'torque_unit', 'power_unit'] as const
type Choice = Partial<Pick<PrintedSheet, (typeof CHOSEN)[number]>>
type Units = Pick<PrintedSheet, 'torque_unit' | 'power_unit'>

/** One name for a cell of the rows, counted from 0. */
export const cellKey = (row: number, cell: number) => `${row}.${cell}`

/** The rows of a sheet as they are typed: a row a line, its cells between tabs. */
export const textOf = (sheet: PrintedSheet) =>
  sheet.rows.map((row) => NAMES.map((name) => row[name]?.text ?? '').join('\t')).join('\n')

/** The same sheet in other units than `before`: what somebody wrote, added or looked at stays as it is typed. */
export function mergedText(sheet: PrintedSheet, before: PrintedSheet, typed: string, settled: string[]) {
  const lines = typed.split('\n')
  const written = lines.map((line) => line.split('\t'))
  const rows = sheet.rows.map((row, at) =>
    NAMES.map((name, cell) => {
      const now = written[at]?.[cell] ?? ''
      const isOurs = now !== (before.rows[at]?.[name]?.text ?? '') || settled.includes(cellKey(at, cell))
      return isOurs ? now : (row[name]?.text ?? '')
    }).join('\t'),
  )
  return [...rows, ...lines.slice(rows.length)].join('\n')
}

/**
 * `fill` is given a sheet that was read anew: its rows take the place of what was typed, except where it is the sheet
 * `before` in other units. `typed` is what the form has, with its units, "" where nobody chose one: a picture that was
 * read at another window fills the rows here, too.
 */
export function usePrintedSheet(
  fill: (sheet: PrintedSheet, before?: PrintedSheet) => void,
  typed: () => { isEmpty: boolean } & Units,
) {
  const { programme, mayOperate } = useFrame()
  const sheet = ref<PrintedSheet | null>(null)
  const error = ref<Error | null>(null)
  const taking = ref(false)
  const work = useJob()
  /** Marked cells that somebody has looked at. */
  const settled = useUnsaved<string[]>(`settled cells of ${programme.value.id}`, [])

  const cells = computed<(PrintedCell | null)[][]>(() =>
    (sheet.value?.rows ?? []).map((row) => NAMES.map((name) => row[name])),
  )
  const open = computed(() =>
    cells.value.flatMap((row, at) =>
      row.flatMap((cell, column) => {
        const key = cellKey(at, column)
        return cell?.doubt && !settled.value.includes(key) ? [key] : []
      }),
    ),
  )
  const settle = (key: string) => settled.value.includes(key) || (settled.value = [...settled.value, key])

  const path = (printed_sheet_id: number) => ({ params: { path: { printed_sheet_id } } })
  /** Waits for the worker; false where nothing came of it. */
  async function follow(given: PrintedSheet) {
    sheet.value = given
    if (given.job) await work.start(() => Promise.resolve(given.job!))
    if (sheet.value?.id !== given.id || work.job.value?.state !== 'done') return
    if (!(await look())) return
    settled.value = []
    if (sheet.value.rows.length) fill(sheet.value)
  }
  let asked = 0
  /** What the sheet was before; null where somebody asked for something else meanwhile. */
  async function look(choice: Choice = {}): Promise<PrintedSheet | null> {
    const mine = ++asked
    const { params } = path(sheet.value!.id)
    const said = CHOSEN.flatMap((one) => (choice[one] == null ? [] : [[one, choice[one]]]))
    const given = { params: { ...params, query: Object.fromEntries(said) } }
    const found = answer(await api.GET('/api/printed-sheets/{printed_sheet_id}', given))
    const before = sheet.value
    if (mine !== asked || before?.id !== found.id) return null
    sheet.value = found
    return before
  }
  async function attempt(act: () => Promise<void>) {
    error.value = null
    try {
      await act()
    } catch (caught) {
      error.value = caught as Error
    }
  }
  const take = (files: File[]) =>
    attempt(async () => {
      taking.value = true
      try {
        const before = sheet.value
        const given = await upload<PrintedSheet>(
          `/api/programmes/${programme.value.id}/printed-sheets`,
          files[0]!,
        )
        if (before) await drop(before.id)
        void attempt(() => follow(given))
      } finally {
        taking.value = false
      }
    })
  const drop = async (id: number) =>
    answer(await api.DELETE('/api/printed-sheets/{printed_sheet_id}', path(id)))
  const turn = () =>
    attempt(async () => {
      const { id, turned } = sheet.value!
      const again = '/api/printed-sheets/{printed_sheet_id}/read'
      const given = answer(await api.POST(again, { ...path(id), body: { turned: (turned + 1) % 4 } }))
      await follow(given)
    })
  const choose = (name: (typeof NAMES)[number], column: number | null) =>
    attempt(async () => {
      if (!(await look({ ...sheet.value!, [name]: column }))) return
      settled.value = []
      if (sheet.value!.rows.length) fill(sheet.value!)
    })
  /** The figures are held against each other anew. What somebody looked at was looked at on the paper: it stays so. */
  const chooseUnits = ({ torque_unit, power_unit }: Units) =>
    attempt(async () => {
      const before = await look({ ...sheet.value!, torque_unit, power_unit })
      if (before && sheet.value!.rows.length) fill(sheet.value!, before)
    })
  const discard = () =>
    attempt(async () => {
      await drop(sheet.value!.id)
      forget()
    })
  function forget() {
    sheet.value = null
    settled.value = []
  }
  /** What was given before the window was closed. */
  onMounted(
    () =>
      mayOperate.value &&
      attempt(async () => {
        const unsaved = '/api/programmes/{programme_id}/printed-sheets/unsaved'
        const found = answer(
          await api.GET(unsaved, { params: { path: { programme_id: programme.value.id } } }),
        )
        if (!found || sheet.value) return
        sheet.value = found
        if (found.job && !OVER.includes(found.job.state)) await follow(found)
        else if (found.rows.length && typed().isEmpty) fill(found)
        else if (found.rows.length) await chooseUnits(typed())
      }),
  )
  return {
    sheet,
    error,
    taking,
    work,
    cells,
    open,
    settle,
    settled,
    take,
    turn,
    choose,
    chooseUnits,
    discard,
    forget,
  }
}
