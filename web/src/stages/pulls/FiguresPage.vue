<script setup lang="ts">
/** A printed table or a few numbers off a screen: typed or pasted, checked while they are written, kept. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, onScopeDispose, ref, useTemplateRef, watch } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { refresh, useMe } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { figure } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import FigureRows from './FigureRows.vue'
import PrintedSheetPanel from './PrintedSheetPanel.vue'
import { mergedText, type PrintedSheet, textOf, usePrintedSheet } from './usePrintedSheet'
import { emptyWhere, isoDay, readWhere, typedNumber } from './where'
import WhereFields from './WhereFields.vue'
import { useFrame } from '../../app/frame'
import { useUnsaved } from '../../ui/useUnsaved'

const { programme, mayOperate } = useFrame()
const { data: me } = useMe()
const router = useRouter()
const queries = useQueryClient()
const PAUSE_MS = 350

const text = useUnsaved(`figures of ${programme.value.id}`, '')
// With the figures: after a reload they would be of another unit.
const torqueUnit = useUnsaved(`torque unit of figures of ${programme.value.id}`, '')
const powerUnit = useUnsaved(`power unit of figures of ${programme.value.id}`, '')
const quoted = ref({
  torque: '',
  torque_rpm: '',
  power: '',
  power_rpm: '',
  gain_before: '',
  gain_after: '',
  gain: '',
})
const setupId = ref<number | null>(null)
const source = useUnsaved(`source of figures of ${programme.value.id}`, '')
const confirmed = ref(false)
const where = ref(emptyWhere(isoDay(new Date())))
const wrong = ref<Record<string, string>>({})
const error = ref<Error | null>(null)
const checked = ref<Schema['FiguresOut'] | null>(null)
const rows = useTemplateRef<{ nextMarked: () => void }>('rows')
const reading = usePrintedSheet(fill, () => ({
  isEmpty: !text.value.trim(),
  torque_unit: torqueUnit.value,
  power_unit: powerUnit.value,
}))
const { sheet, cells, open, settle, settled } = reading

/**
 * What was read takes the place of what was typed; units and peaks are those of the sheet. Of the same sheet in other
 * units, figures stay that somebody wrote or looked at.
 */
function fill(found: PrintedSheet, before?: PrintedSheet) {
  text.value = before ? mergedText(found, before, text.value, settled.value) : textOf(found)
  torqueUnit.value = found.torque_unit
  powerUnit.value = found.power_unit
  for (const [name, value] of Object.entries(found.quoted))
    if (name in quoted.value) {
      const typed = before ? quoted.value[name as keyof typeof quoted.value] : ''
      quoted.value[name as keyof typeof quoted.value] = typed || (value?.toString() ?? '')
    }
  source.value ||= `Printed sheet, ${found.name}`
}
/** A sheet that was read is checked anew by its new unit. */
function inUnit(name: 'torque_unit' | 'power_unit', unit: string) {
  ;(name === 'torque_unit' ? torqueUnit : powerUnit).value = unit
  if (sheet.value?.rows.length) void reading.chooseUnits(given.value)
}
const textProblem = ref('')

const given = computed<Schema['FiguresIn']>(() => ({
  text: text.value,
  torque_unit: torqueUnit.value || me.value?.units.torque || '',
  power_unit: powerUnit.value || me.value?.units.power || '',
  quoted: Object.fromEntries(
    Object.entries(quoted.value).map(([key, typed]) => {
      const value = typedNumber(typed)
      return [key, value !== null && Number.isFinite(value) ? value : null]
    }),
  ),
}))
/** Quoted figures that are no numbers would go unchecked. */
const unread = computed(() =>
  Object.values(quoted.value).filter((typed) => {
    const value = typedNumber(typed)
    return value !== null && !Number.isFinite(value)
  }),
)
let timer = 0
let turn = 0
watch(given, () => {
  window.clearTimeout(timer)
  confirmed.value = false
  timer = window.setTimeout(() => void check(), PAUSE_MS)
})
onScopeDispose(() => window.clearTimeout(timer))

async function check() {
  if (!text.value.trim()) {
    checked.value = null
    textProblem.value = ''
    return
  }
  const mine = ++turn
  try {
    const found = answer(
      await api.POST('/api/programmes/{programme_id}/figures/check', {
        params: { path: { programme_id: programme.value.id } },
        body: given.value,
      }),
    )
    if (mine === turn) [checked.value, textProblem.value] = [found, '']
  } catch (caught) {
    if (mine !== turn) return
    checked.value = null
    textProblem.value =
      caught instanceof Problem ? (caught.fields.text ?? caught.message) : (caught as Error).message
  }
}
async function write() {
  const read = readWhere(where.value)
  wrong.value = { ...read.wrong }
  if (setupId.value === null) wrong.value.setup_id = 'say which setup they are of'
  error.value = null
  if (Object.keys(wrong.value).length) return
  try {
    const made = answer(
      await api.POST('/api/programmes/{programme_id}/figures', {
        params: { path: { programme_id: programme.value.id } },
        body: {
          ...given.value,
          setup_id: setupId.value!,
          source: source.value,
          confirmed: confirmed.value,
          where: read.where,
          sheet_id: sheet.value?.rows.length ? sheet.value.id : null,
        },
      }),
    )
    text.value = source.value = torqueUnit.value = powerUnit.value = ''
    reading.forget()
    await refresh(queries)
    await router.push({ name: 'pull', params: { pull: made.pull_id } })
  } catch (caught) {
    error.value = caught as Error
    if (caught instanceof Problem) wrong.value = caught.fields
  }
}
useKeys([
  { key: 'n', label: 'N', does: 'Go to the next marked figure', press: () => rows.value?.nextMarked() },
  { key: 'b', label: 'B', does: 'Back to all pulls', press: () => void router.push({ name: 'pulls' }) },
])
</script>

<template>
  <div class="page most-1180">
    <header class="page-head"><h1>Enter figures manually</h1></header>
    <ProblemNote :error="error" />
    <p v-if="!mayOperate" class="text">
      You can read here. Ask the owner for the operator role to enter figures.
    </p>
    <v-form v-else class="split" @submit.prevent="write">
      <section>
        <PrintedSheetPanel :reading="reading" />
        <div class="d-flex flex-wrap gr-2 gc-4 mb-2">
          <v-select
            :model-value="torqueUnit"
            label="Torque in"
            :items="[
              { value: '', label: me?.units.torque },
              ...(['lb-ft', 'N·m'].filter((one) => one !== me?.units.torque) ?? []).map((unit) => ({
                value: unit,
                label: unit,
              })),
            ]"
            @update:model-value="inUnit('torque_unit', $event)"
          />
          <v-select
            :model-value="powerUnit"
            label="Power in"
            :items="[
              { value: '', label: me?.units.power },
              ...(['hp', 'kW', 'PS'].filter((one) => one !== me?.units.power) ?? []).map((unit) => ({
                value: unit,
                label: unit,
              })),
            ]"
            @update:model-value="inUnit('power_unit', $event)"
          />
        </div>
        <div class="overflow-y-auto" :class="sheet ? 'with-clippings' : 'typed'">
          <FigureRows
            ref="rows"
            v-model="text"
            :torque-unit="given.torque_unit"
            :power-unit="given.power_unit"
            :sheet="sheet"
            :cells="cells"
            :open="open"
            @settled="settle"
          />
        </div>
        <p v-if="textProblem" class="message" role="alert">{{ textProblem }}</p>
        <fieldset class="fields mt-2 border pt-1 pb-2 px-3">
          <legend class="quiet px-2">What is quoted beside it, to be checked</legend>
          <v-text-field v-model="quoted.torque" label="Peak torque" inputmode="decimal" />
          <v-text-field v-model="quoted.torque_rpm" label="At rpm" inputmode="decimal" />
          <v-text-field v-model="quoted.power" label="Peak power" inputmode="decimal" />
          <v-text-field v-model="quoted.power_rpm" label="At rpm" inputmode="decimal" />
          <v-text-field v-model="quoted.gain" label="A gain of" inputmode="decimal" />
          <v-text-field v-model="quoted.gain_before" label="From" inputmode="decimal" />
          <v-text-field v-model="quoted.gain_after" label="To" inputmode="decimal" />
          <p v-if="unread.length" class="message" role="alert">Not a number: {{ unread.join(', ') }}</p>
        </fieldset>
      </section>
      <section>
        <h2>As it is understood</h2>
        <p v-if="!checked" class="prose size-15 quiet">
          Type or paste the rows; they are checked as you type.
        </p>
        <template v-else>
          <ul v-if="checked.problems.length" class="prose size-15 hand-edge pl-6" data-test="problems">
            <li v-for="problem in checked.problems" :key="problem">{{ problem }}</li>
          </ul>
          <p v-else class="prose size-15" data-test="problems">
            {{ checked.rows.length }} rows, and nothing contradicts. Rounding hides up to
            {{ checked.resolution_percent.toFixed(2) }} %.
          </p>
          <div class="typed overflow-y-auto">
            <v-table class="figures">
              <thead>
                <tr>
                  <th>rpm</th>
                  <th>{{ checked.torque_unit }}</th>
                  <th>{{ checked.power_unit }}</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="row in checked.rows" :key="row.line">
                  <td>{{ row.rpm }}</td>
                  <td>{{ figure(row.torque) }}</td>
                  <td>{{ figure(row.power) }}</td>
                </tr>
              </tbody>
            </v-table>
          </div>
        </template>
      </section>
      <div class="all-columns d-flex flex-wrap gr-2 gc-4 mt-2">
        <v-autocomplete
          v-model="setupId"
          label="Setup"
          :error-messages="wrong.setup_id"
          placeholder="choose…"
          :items="programme.setups.map((one) => ({ value: one.id, label: `${one.letter} ${one.name}` }))"
        />

        <v-text-field
          v-model="source"
          class="source flex-fill"
          label="Source of the figures"
          placeholder="Printed sheet of March, page 2"
          :error-messages="wrong.source"
        />
      </div>
      <WhereFields v-model="where" class="all-columns" :wrong="wrong" has-figures :has-samples="false" />
      <p class="all-columns buttons d-flex ga-5 align-center">
        <v-checkbox
          v-if="checked?.problems.length"
          v-model="confirmed"
          label="The original says this; save as entered"
        />
        <v-btn type="submit" color="hand" variant="flat" :disabled="!checked || open.length > 0">
          Save figures
        </v-btn>
        <span v-if="open.length" class="prose size-15">
          Check {{ open.length }} marked {{ open.length === 1 ? 'figure' : 'figures' }} first.
        </span>
      </p>
    </v-form>
  </div>
</template>

<style scoped>
.typed {
  max-height: 380px;
}
.with-clippings {
  max-height: 75vh;
}
</style>
