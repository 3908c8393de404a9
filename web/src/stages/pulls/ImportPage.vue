<script setup lang="ts">
/** Import files: give them, say which column is what once for each make, say which setup each is of, read them. */
import { computed, nextTick, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api, Problem, type Schema, upload } from '../../app/api/client'
import { refresh } from '../../app/api/queries'
import { useQueryClient } from '@tanstack/vue-query'
import ProblemNote from '../../ui/ProblemNote.vue'
import { OVER, useJob } from '../../app/api/useJob'
import { useKeys } from '../../app/keys'
import { emptyWhere, readWhere, typedNumber, useImportChoices } from './where'
import WhereFields from './WhereFields.vue'
import { useFrame } from '../../app/frame'

type Layout = Schema['LayoutOut']
const { programme, mayOperate } = useFrame()
const router = useRouter()
const queries = useQueryClient()
const { data: choices } = useImportChoices()

const batch = ref<Schema['ImportBatchOut'] | null>(null)
const taking = ref({ done: 0, total: 0 })
const error = ref<Error | null>(null)
const where = ref(emptyWhere(new Date().toISOString().slice(0, 10)))
const wrong = ref<Record<string, string>>({})
const rates = ref<Record<string, string>>({})
const over = ref(false)
const moved = ref(false)
const carried = ref<number | null>(null)
const work = useJob<{ read: number; refused: number; known: number; left: number }>()

const waiting = computed(() => batch.value?.files.filter((file) => file.state === 'waiting') ?? [])
const layouts = computed(() => batch.value?.layouts ?? [])
/** Being read. Where a worker died or was stopped, what is left can be asked for again. */
const settled = computed(() => {
  const state = work.job.value?.state ?? batch.value?.job?.state
  return state !== undefined && !OVER.includes(state)
})

async function take(files: Iterable<File>) {
  const given = [...files]
  if (!given.length) return
  error.value = null
  taking.value = { done: 0, total: given.length }
  try {
    // What was refused before anything was read stays in the list beside what is brought next.
    if (!batch.value || settled.value || (batch.value.job && !waiting.value.length)) {
      batch.value = answer(
        await api.POST('/api/programmes/{programme_id}/imports', {
          params: { path: { programme_id: programme.value.id } },
        }),
      )
    }
    for (const file of given) {
      await upload(`/api/imports/${batch.value.id}/files`, file)
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
  // What was chosen already stays as it is, unless a list that came after it says where the files belong.
  const before = batch.value.files
  const list = (files: Schema['ImportFile'][]) => files.filter((file) => file.state === 'manifest').length
  if (list(fresh.files) === list(before)) {
    const place = new Map(before.map((file, at) => [file.id, at]))
    for (const file of fresh.files) {
      const known = before.find((one) => one.id === file.id)
      if (known) Object.assign(file, { setup_id: known.setup_id, session: known.session, start: known.start })
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
function chosen(event: Event) {
  const field = event.target as HTMLInputElement
  void take([...(field.files ?? [])])
  field.value = ''
}
function dropped(event: DragEvent) {
  over.value = false
  void take(event.dataTransfer?.files ?? [])
}
/** A channel that is not among the choices, so that it can still be seen. */
const unlisted = (channel: string) =>
  channel && !choices.value?.channels.some((one) => one.key === channel)
    ? [{ value: channel, label: channel }]
    : []
const unitsOf = (channel: string) => choices.value?.channels.find((one) => one.key === channel)?.units ?? []
function rechannel(column: Layout['columns'][number], channel: string) {
  column.channel = channel
  if (!unitsOf(channel).includes(column.mapped_unit)) column.mapped_unit = unitsOf(channel)[0] ?? column.unit
}
const needsRate = (layout: Layout) =>
  !layout.is_table && !layout.columns.some((column) => column.channel === 'time')

/** The running order is that of the list: drift is read from it. */
function move(id: number, to: number) {
  const files = batch.value?.files
  if (!files) return
  const from = files.findIndex((file) => file.id === id)
  if (from < 0 || to < 0 || to >= files.length || from === to) return
  files.splice(to, 0, ...files.splice(from, 1))
  moved.value = true
}
function step(event: KeyboardEvent, id: number, by: number) {
  const at = batch.value?.files.findIndex((file) => file.id === id) ?? -1
  move(id, at + by)
  const button = event.currentTarget as HTMLElement
  void nextTick(() => button.focus())
}
function dropOn(id: number) {
  if (carried.value !== null)
    move(carried.value, batch.value?.files.findIndex((file) => file.id === id) ?? -1)
  carried.value = null
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
  await work.start(async () => {
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
  error.value = work.error.value
  if (!error.value) {
    await look()
    await refresh(queries)
  }
}
useKeys([
  { key: 'b', label: 'B', does: 'Back to all pulls', press: () => void router.push({ name: 'pulls' }) },
  {
    key: 'Enter',
    label: 'Enter',
    does: 'Read the files',
    press: () => !settled.value && waiting.value.length && void run(),
  },
])
</script>

<template>
  <div class="import pt-3 pb-7 px-4 most-1180 d-grid ga-4">
    <header class="page-head"><h1>Import files</h1></header>
    <ProblemNote :error="error" />
    <p v-if="!mayOperate" class="text">
      You may read here. Ask the owner for the operator role to bring files.
    </p>
    <template v-else>
      <label
        class="drop pa-5 prose size-16 text-center cursor-pointer"
        :class="{ over }"
        @dragover.prevent="over = true"
        @dragleave="over = false"
        @drop.prevent="dropped"
      >
        <span v-if="taking.total">Taking {{ taking.done + 1 }} of {{ taking.total }}…</span>
        <span v-else>
          Drop files here, or <u>choose them</u>. CSV and other tables of text, XLSX, MDF4, Parquet; samples
          of a sweep, or a table that is reduced already. Each is kept as it came.
        </span>
        <input type="file" multiple aria-label="Files to import" @change="chosen" />
      </label>

      <section v-for="layout in settled ? [] : layouts" :key="layout.key" class="layout" data-test="layout">
        <h2>
          {{ layout.files }} {{ layout.files === 1 ? 'file' : 'files' }} like {{ layout.example }}
          <template v-if="layout.known">, read as the last of this make</template>
        </h2>
        <p
          v-for="text in [...layout.doubts, ...layout.notes]"
          :key="text"
          class="words prose size-15 hand-note"
        >
          {{ text }}
        </p>
        <p v-if="wrong[`layout_${layout.key}`]" class="words prose size-15 stop" role="alert">
          {{ wrong[`layout_${layout.key}`] }}
        </p>
        <v-checkbox
          v-model="layout.is_table"
          label="A table that is reduced already, one row for each speed"
        />
        <v-text-field
          v-if="needsRate(layout)"
          v-model="rates[layout.key]"
          label="There is no time: samples in a second"
          inputmode="decimal"
          class="rate"
        />
        <div class="overflow-x-auto">
          <v-table class="figures">
            <thead>
              <tr>
                <th class="words prose size-15">Column</th>
                <th class="words prose size-15">First rows</th>
                <th>Lowest</th>
                <th>Highest</th>
                <th class="words prose size-15">Is</th>
                <th class="words prose size-15">In</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="column in layout.columns" :key="column.name" :class="{ off: !column.channel }">
                <td class="words prose size-15">
                  {{ column.name }} <span class="quiet">{{ column.unit }}</span>
                </td>
                <td class="words prose size-15 quiet">{{ column.first.join(' ') }}</td>
                <td>{{ column.low }}</td>
                <td>{{ column.high }}</td>
                <td class="words prose size-15">
                  <v-select
                    :model-value="column.channel"
                    :aria-label="`What ${column.name} is`"
                    :items="[
                      { value: '', label: 'ignore' },
                      ...(choices?.channels ?? []).map((one) => ({ value: one.key, label: one.name })),
                      ...unlisted(column.channel),
                    ]"
                    @update:model-value="rechannel(column, $event)"
                  />
                </td>
                <td class="words prose size-15">
                  <v-select
                    v-if="unitsOf(column.channel).length"
                    v-model="column.mapped_unit"
                    :aria-label="`Unit of ${column.name}`"
                    placeholder="choose…"
                    :items="unitsOf(column.channel).map((unit) => ({ value: unit, label: unit }))"
                  />
                  <template v-else>{{ column.mapped_unit }}</template>
                </td>
              </tr>
            </tbody>
          </v-table>
        </div>
      </section>

      <section v-if="batch?.files.length">
        <h2>Files, in the order in which they were run</h2>
        <p v-if="waiting.length > 1 && !settled" class="text">
          Drift is read from the running order, so the order must be right. Drag a file to its place, or press
          the arrow keys on its handle; a list with the columns file, setup, session, order and start says it
          for all of them at once: drop it beside them. Pulls of one warm engine are one session.
        </p>
        <v-table class="figures" data-test="files">
          <thead>
            <tr>
              <th><span class="visually-hidden">Place</span></th>
              <th class="words prose size-15">File</th>
              <th>Rows</th>
              <th class="words prose size-15">Session</th>
              <th class="words prose size-15">Began</th>
              <th class="words prose size-15">Setup</th>
              <th class="words prose size-15">So far</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="file in batch.files"
              :key="file.id"
              :class="{ carried: carried === file.id }"
              @dragover.prevent
              @drop.prevent="dropOn(file.id)"
            >
              <td>
                <v-btn
                  v-if="file.state === 'waiting' && !settled"
                  variant="text"
                  class="handle py-0 px-2 quiet"
                  draggable="true"
                  :aria-label="`Move ${file.name}: arrow up, arrow down`"
                  @dragstart="carried = file.id"
                  @dragend="carried = null"
                  @keydown.up.prevent="step($event, file.id, -1)"
                  @keydown.down.prevent="step($event, file.id, 1)"
                >
                  ≡
                </v-btn>
              </td>
              <td class="words prose size-15">{{ file.name }}</td>
              <td>{{ file.rows || '–' }}</td>
              <td class="words prose size-15">
                <v-text-field
                  v-if="file.state === 'waiting' && !settled"
                  v-model="file.session"
                  :aria-label="`Session of ${file.name}`"
                  class="short"
                />
              </td>
              <td class="words prose size-15">
                <v-text-field
                  v-if="file.state === 'waiting' && !settled"
                  v-model="file.start"
                  :aria-label="`When ${file.name} began`"
                  :error-messages="wrong[`start_${file.id}`]"
                  placeholder="14:05"
                  class="began"
                />
              </td>
              <td class="words prose size-15">
                <v-select
                  v-if="file.state === 'waiting' && !settled"
                  v-model="file.setup_id"
                  :aria-label="`Setup of ${file.name}`"
                  :error-messages="wrong[`setup_${file.id}`]"
                  placeholder="choose…"
                  :items="
                    programme.setups.map((one) => ({
                      value: one.id,
                      label: `${one.letter} ${one.name}`,
                    }))
                  "
                />
              </td>
              <td class="words prose size-15">
                <router-link v-if="file.pull_id" :to="{ name: 'pull', params: { pull: file.pull_id } }">{{
                  file.outcome
                }}</router-link>
                <span v-else :class="{ stop: file.state === 'refused' }">{{
                  file.outcome || file.state_label
                }}</span>
                <span v-if="wrong[`setup_${file.id}`]" class="stop" role="alert"> Choose its setup.</span>
              </td>
            </tr>
          </tbody>
        </v-table>
      </section>

      <WhereFields
        v-if="waiting.length && !settled"
        v-model="where"
        class="where"
        :wrong="wrong"
        :has-figures="layouts.some((layout) => layout.is_table)"
        :has-samples="layouts.some((layout) => !layout.is_table)"
      />
      <p v-if="waiting.length && !settled" class="buttons">
        <v-btn color="hand" variant="flat" @click="run">
          Read {{ waiting.length }} {{ waiting.length === 1 ? 'file' : 'files' }} <kbd>Enter</kbd>
        </v-btn>
      </p>
      <div v-if="work.running.value" class="progress" role="status">
        <progress :value="work.job.value?.done ?? 0" :max="work.job.value?.total || 1" />
        {{ work.job.value?.progress_text || 'Waiting for a worker…' }}
        <v-btn @click="work.stop()">Stop</v-btn>
        <p class="quiet words prose size-15">What was read by then stays.</p>
      </div>
      <p v-if="work.failure.value" class="words prose size-15 stop" role="alert">{{ work.failure.value }}</p>
      <p v-if="work.result.value" class="text" data-test="outcome">
        {{ work.result.value.read }} read, {{ work.result.value.known }} known already,
        {{ work.result.value.refused }} refused<template v-if="work.result.value.left"
          >, {{ work.result.value.left }} left</template
        >. <router-link :to="{ name: 'pulls' }">To the pulls</router-link>
      </p>
    </template>
  </div>
</template>

<style scoped>
.handle {
  cursor: grab;
}
.carried {
  opacity: 0.4;
}
.short {
  width: 90px;
}
.began {
  width: 130px;
}
.import {
  justify-items: stretch;
}
.drop {
  border: 2px dashed var(--quiet);
}
.drop.over {
  background: var(--panel);
  border-color: var(--ink);
}
.drop input {
  position: absolute;
  opacity: 0;
  width: 1px;
}
.drop:focus-within {
  outline: 2px solid var(--ink);
}
.off td {
  opacity: 0.6;
}
p.words {
  margin: 0 0 4px;
}
.tick {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 6px;
}
.rate {
  width: 90px;
}
.stop {
  color: var(--stop);
}
.progress progress {
  width: 240px;
  margin-right: 10px;
}
</style>
