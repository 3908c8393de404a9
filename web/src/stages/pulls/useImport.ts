/** Files on their way in: given, laid out, put in their order, read by a worker. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, onMounted, ref } from 'vue'

import { answer, api, Problem, type Schema, upload } from '../../app/api/client'
import { refresh } from '../../app/api/queries'
import { type Job, OVER, useJob } from '../../app/api/useJob'
import { useFrame } from '../../app/frame'
import { useUnsaved, useUnsavedEdit } from '../../ui/useUnsaved'
import { emptyWhere, isoDay, readWhere, typedNumber } from './where'

export type Layout = Schema['LayoutOut']
export type Batch = Schema['ImportBatchOut']

export function useImport() {
  const { programme, mayOperate } = useFrame()
  const queries = useQueryClient()
  const unsaved = `import into ${programme.value.id}`
  const batch = useUnsavedEdit<Batch>(unsaved)
  const taking = ref({ done: 0, total: 0 })
  const error = ref<Error | null>(null)
  const where = useUnsaved(`${unsaved}, where`, emptyWhere(isoDay(new Date())))
  const wrong = ref<Record<string, string>>({})
  const rates = useUnsaved<Record<string, string>>(`${unsaved}, rates`, {})
  const moved = ref(batch.value !== null)
  const work = useJob<{ read: number; refused: number; known: number; left: number }>()

  const waiting = computed(() => batch.value?.files.filter((file) => file.state === 'waiting') ?? [])
  const layouts = computed(() => batch.value?.layouts ?? [])
  /** Being read. Where a worker died or was stopped, what is left can be asked for again. */
  const settled = computed(() => {
    const state = work.job.value?.state ?? batch.value?.job?.state
    return state !== undefined && !OVER.includes(state)
  })

  const path = () => ({ params: { path: { programme_id: programme.value.id } } })
  async function begin() {
    batch.value = answer(await api.POST('/api/programmes/{programme_id}/imports', path()))
    moved.value = false
  }
  /** What waits is not read: it is here no more. */
  async function startOver() {
    error.value = null
    try {
      await begin()
    } catch (caught) {
      error.value = caught as Error
    }
  }
  /** What was given before the window was closed, with what was said of it here. */
  async function find() {
    try {
      const found = answer(await api.GET('/api/programmes/{programme_id}/imports/unfinished', path()))
      if (found && found.id === batch.value?.id) merge(found)
      else batch.value = found
      if (!found) {
        where.value = emptyWhere(isoDay(new Date()))
        rates.value = {}
      } else if (settled.value) void follow(() => Promise.resolve(found.job!))
    } catch (caught) {
      error.value = caught as Error
    }
  }
  let finding = Promise.resolve()
  onMounted(() => mayOperate.value && (finding = find()))
  async function take(files: Iterable<File>) {
    const given = [...files]
    if (!given.length) return
    error.value = null
    taking.value = { done: 0, total: given.length }
    await finding
    try {
      // What was refused before anything was read stays in the list beside what is brought next.
      if (!batch.value || settled.value || (batch.value.job && !waiting.value.length)) await begin()
      const id = batch.value!.id
      for (const file of given) {
        await upload(`/api/imports/${id}/files`, file)
        taking.value.done++
      }
    } catch (caught) {
      error.value = caught as Error
    }
    taking.value = { done: 0, total: 0 }
    await look()
  }
  async function look() {
    if (!batch.value) return
    const fresh = answer(
      await api.GET('/api/imports/{import_id}', { params: { path: { import_id: batch.value.id } } }),
    )
    merge(fresh)
  }
  function merge(fresh: Batch) {
    // What was chosen already stays as it is, unless a list that came after it says where the files belong.
    const before = batch.value!.files
    const list = (files: Schema['ImportFile'][]) => files.filter((file) => file.state === 'manifest').length
    if (list(fresh.files) === list(before)) {
      const place = new Map(before.map((file, at) => [file.id, at]))
      for (const file of fresh.files) {
        const known = before.find((one) => one.id === file.id)
        if (known)
          Object.assign(file, { setup_id: known.setup_id, session: known.session, start: known.start })
      }
      if (moved.value)
        fresh.files.sort((one, two) => (place.get(one.id) ?? Infinity) - (place.get(two.id) ?? Infinity))
    } else moved.value = false
    fresh.layouts = fresh.layouts.map((one) => ({
      ...(batch.value!.layouts.find((known) => known.key === one.key) ?? one),
      files: one.files,
    }))
    batch.value = fresh
  }
  /** The running order is that of the list: drift is read from it. */
  function move(id: number, to: number) {
    const files = batch.value?.files
    if (!files) return
    const from = files.findIndex((file) => file.id === id)
    if (from < 0 || to < 0 || to >= files.length || from === to) return
    files.splice(to, 0, ...files.splice(from, 1))
    moved.value = true
  }
  async function run() {
    if (!batch.value) return
    const read = readWhere(where.value)
    wrong.value = read.wrong
    error.value = null
    if (Object.keys(read.wrong).length) return
    const id = batch.value.id
    const body: Schema['RunIn'] = {
      layouts: layouts.value.map((layout) => ({
        key: layout.key,
        mapped: layout.columns.map((column) => ({
          column: column.name,
          channel: column.channel,
          unit: column.mapped_unit,
        })),
        is_table: layout.is_table,
        rate_hz: typedNumber(rates.value[layout.key] ?? '') ?? layout.rate_hz,
      })),
      setups: waiting.value
        .filter((file) => file.setup_id !== null)
        .map((file) => ({
          file_id: file.id,
          setup_id: file.setup_id!,
          session: file.session,
          start: file.start,
        })),
      where: read.where,
    }
    await follow(async () => {
      try {
        const asked = answer(
          await api.POST('/api/imports/{import_id}/run', { params: { path: { import_id: id } }, body }),
        )
        batch.value!.job = asked.job
        return asked.job!
      } catch (caught) {
        if (caught instanceof Problem) wrong.value = caught.fields
        throw caught
      }
    })
  }
  async function follow(ask: () => Promise<Job>) {
    await work.start(ask)
    error.value = work.error.value
    if (!error.value) {
      await look()
      await refresh(queries)
    }
  }

  return {
    ...{ batch, taking, error, where, wrong, rates, work, waiting, layouts, settled },
    ...{ take, move, run, startOver },
  }
}
