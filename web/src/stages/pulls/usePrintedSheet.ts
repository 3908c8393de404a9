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

/** One name for a cell of the rows, counted from 0. */
export const cellKey = (row: number, cell: number) => `${row}.${cell}`

/**
 * `fill` is given a sheet that was read anew: its rows take the place of what was typed, except where it is the sheet
 * `before` in other units. `empty` says that nothing was typed: a picture that was read at another window fills the rows
 * here, too.
 */
export function usePrintedSheet(
  fill: (sheet: PrintedSheet, before?: PrintedSheet) => void,
  empty: () => boolean,
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
    await look()
    settled.value = []
    if (sheet.value.rows.length) fill(sheet.value)
  }
  async function look(choice: Choice = {}) {
    const { params } = path(sheet.value!.id)
    const said = CHOSEN.flatMap((one) => (choice[one] == null ? [] : [[one, choice[one]]]))
    const given = { params: { ...params, query: Object.fromEntries(said) } }
    sheet.value = answer(await api.GET('/api/printed-sheets/{printed_sheet_id}', given))
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
      await look({ ...sheet.value!, [name]: column })
      settled.value = []
      if (sheet.value!.rows.length) fill(sheet.value!)
    })
  /** The figures are held against each other anew. What somebody looked at was looked at on the paper: it stays so. */
  const chooseUnit = (name: 'torque_unit' | 'power_unit', unit: string) =>
    attempt(async () => {
      const before = sheet.value!
      await look({ ...before, [name]: unit })
      if (before.rows.length) fill(sheet.value!, before)
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
        else if (found.rows.length && empty()) fill(found)
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
    chooseUnit,
    discard,
    forget,
  }
}
