<script setup lang="ts">
/** Slots and settings by setups: what differs from where a setup starts stands out. Beside each row what changing it takes. */
import { computed } from 'vue'

import PartPicker from '../parts/PartPicker.vue'
import { useFilledSlots } from '../parts/names'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { letterOf } from '../../ui/setups/marks'
import { addSetup, cell, differsFromBase, dropSetup, isSlot, OWN, put } from './draft'
import MatrixTools from './MatrixTools.vue'
import type { PlanDraft } from './usePlanDraft'
import WorksTable from './WorksTable.vue'

const props = defineProps<{ plan: PlanDraft }>()
const { draft, pulled, positions, slots, choices, slotOf, fields, concluded, onPaper } = props.plan
const { plannedParts, partOf, partsKnown } = props.plan
const { data: filled } = useFilledSlots()
const stepwise = computed(() => draft.kind === 'stepwise')

const labels = computed(() => {
  const known: Record<string, string> = {}
  slots.value?.forEach((slot) => (known[slot.value] = slot.label))
  choices.value?.settings.forEach((setting) => (known[setting.value] = setting.label))
  return known
})
function label(key: string) {
  return key.startsWith(OWN) ? key.slice(OWN.length) : (labels.value[key] ?? key)
}
function addRow(key: string) {
  if (!key || draft.rows.some((row) => row.key === key)) return
  const usual = choices.value?.works.find((work) => work.key === key)
  draft.rows.push({
    key,
    remove: usual?.remove ?? '0',
    install: usual?.install ?? '5',
    under: usual?.under ?? [],
  })
}

function dropRow(key: string) {
  draft.setups.forEach((_, place) => {
    if (!pulled.value[place]) put(draft, place, key, '', slotOf, pulled.value)
  })
  draft.rows = draft.rows.filter((row) => row.key !== key)
}

/** Parts of this slot that the plan has already, archived ones too, and the two that a cell holds together. */
function planned(slot: string, value: string) {
  const found = plannedParts.value
    .filter((id) => slotOf(id) === slot)
    .map((id) => ({ value: String(id), label: partOf(id)!.name }))
  if (value.includes(' '))
    found.push({
      value,
      label: value
        .split(' ')
        .map((id) => partOf(Number(id))?.name)
        .join(' with '),
    })
  return found
}

function fixedAs(place: number): string {
  const setup = draft.setups[place]!
  const found = concluded.value?.failing.find((one) => one.setup === place)
  if (setup.candidate !== 'in') return ''
  return found?.reasons.join(' ') ?? ''
}

function leaveOut(place: number) {
  const setup = draft.setups[place]!
  setup.candidate = 'ineligible'
  setup.reason = fixedAs(place).slice(0, 200)
  candidateChanged(place)
}

function candidateChanged(place: number) {
  if (draft.setups[place]!.candidate !== 'in')
    draft.order = draft.order.filter((visit) => visit.setup !== place)
  else draft.setups[place]!.reason = ''
}

/** Figures of a draft that has more or fewer setups by now wait for the next answer. */
const figures = computed(() =>
  (onPaper.value?.rows ?? []).filter((row) => row.texts.length === draft.setups.length),
)
const onPaperOf = (place: number) => onPaper.value?.setups.find((one) => one.place === place)
const hasNotes = computed(
  () => onPaper.value?.setups.some((one) => one.cautions.length || one.unknown.length) ?? false,
)

const timed = (key: string) => choices.value?.works.find((work) => work.key === key)?.timed ?? 0
</script>

<template>
  <section>
    <p v-if="fields.setups" class="message mt-1 mb-0 mx-0" role="alert">{{ fields.setups }}</p>
    <p v-if="filled && !filled.length" class="text">
      There is no part yet. <router-link :to="{ name: 'parts' }">Add some to the library</router-link> first.
    </p>
    <div class="overflow-x-auto mb-3" tabindex="0" role="region" aria-label="Setups slot by slot">
      <v-table class="figures matrix w-auto">
        <thead>
          <tr>
            <th class="words">Slot or setting</th>
            <th
              v-for="(setup, place) in draft.setups"
              :key="place"
              class="words column"
              :class="{ out: setup.candidate !== 'in' }"
            >
              <span class="head d-flex align-center ga-1">
                <SetupMark :position="positions[place]!" :hollow="setup.candidate !== 'in'" />
                <v-text-field
                  v-model="setup.name"
                  class="w-150"
                  :aria-label="`Name of setup ${letterOf(positions[place]!)}`"
                  :placeholder="place === 0 ? 'Baseline' : 'Name'"
                  :error="Boolean(fields[`setups.${place}.name`])"
                />
                <v-link
                  v-if="draft.setups.length > 2 && place > 0 && !pulled[place]"
                  :aria-label="`Remove setup ${letterOf(positions[place]!)}`"
                  @click="dropSetup(draft, place)"
                >
                  ×
                </v-link>
                <span v-else-if="pulled[place]" class="quiet small" title="What was on it stays">pulled</span>
              </span>
              <template v-for="key in ['name', 'parts', 'place', 'based_on']" :key="key">
                <p v-if="fields[`setups.${place}.${key}`]" class="message mt-1 mb-0 mx-0" role="alert">
                  {{ fields[`setups.${place}.${key}`] }}
                </p>
              </template>
              <div v-if="stepwise && place > 0" class="base d-flex ga-1 align-center mt-1">
                <span class="quiet">starts from</span>
                <v-select
                  :model-value="setup.based_on ?? 0"
                  :aria-label="`Setup ${letterOf(positions[place]!)} starts from`"
                  :disabled="pulled[place]"
                  :items="
                    draft.setups
                      .map((_, other) => ({ value: other, label: letterOf(positions[other]!) }))
                      .filter((other) => other.value !== place)
                  "
                  @update:model-value="setup.based_on = Number($event) || null"
                />
              </div>
            </th>
            <th class="words">
              <v-link
                class="text-decoration-underline"
                @click="addSetup(draft, stepwise ? draft.setups.length - 1 : 0, stepwise)"
              >
                Add setup
              </v-link>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, index) in draft.rows" :key="row.key">
            <th class="words" scope="row">
              {{ label(row.key) }}
              <v-link
                class="quiet"
                :aria-label="`Remove the row ${label(row.key)}`"
                @click="dropRow(row.key)"
              >
                ×
              </v-link>
              <p v-if="fields[`rows.${index}.key`]" class="message mt-1 mb-0 mx-0">
                {{ fields[`rows.${index}.key`] }}
              </p>
            </th>
            <td
              v-for="(setup, place) in draft.setups"
              :key="place"
              class="words column"
              :class="{
                differs: differsFromBase(draft, place, row.key, slotOf),
                out: setup.candidate !== 'in',
              }"
            >
              <PartPicker
                v-if="isSlot(row.key)"
                :model-value="cell(setup, row.key, slotOf)"
                :slot-name="row.key"
                :as="String"
                :near="planned(row.key, cell(setup, row.key, slotOf))"
                :none="{ value: '', label: 'none' }"
                :disabled="pulled[place] || !partsKnown"
                :aria-label="`${label(row.key)} of setup ${letterOf(positions[place]!)}`"
                @update:model-value="put(draft, place, row.key, $event ?? '', slotOf, pulled)"
              />
              <v-text-field
                v-else
                :model-value="cell(setup, row.key, slotOf)"
                :disabled="pulled[place]"
                :aria-label="`${label(row.key)} of setup ${letterOf(positions[place]!)}`"
                :error="Boolean(fields[`setups.${place}.settings.${row.key}`])"
                @update:model-value="put(draft, place, row.key, String($event ?? ''), slotOf, pulled)"
              />
              <p v-if="fields[`setups.${place}.settings.${row.key}`]" class="message mt-1 mb-0 mx-0">
                {{ fields[`setups.${place}.settings.${row.key}`] }}
              </p>
            </td>
            <td></td>
          </tr>
          <tr v-for="row in figures" :key="row.label" class="figure" data-test="figure-row">
            <th class="words" scope="row">{{ row.label }}</th>
            <td
              v-for="(text, place) in row.texts"
              :key="place"
              class="words column"
              :class="{ differs: text !== row.texts[0] }"
            >
              {{ text || 'not known' }}
            </td>
            <td></td>
          </tr>
          <tr v-if="hasNotes" class="figure">
            <th class="words" scope="row">Check before a pull</th>
            <td v-for="(_, place) in draft.setups" :key="place" class="words column" data-test="setup-checks">
              <p
                v-for="text in onPaperOf(place)?.cautions"
                :key="text"
                class="note prose size-15 hand-edge pl-2"
              >
                {{ text }}
              </p>
              <p v-if="onPaperOf(place)?.unknown.length" class="note prose size-15">
                To be measured: {{ onPaperOf(place)!.unknown.join(', ') }}
              </p>
            </td>
            <td></td>
          </tr>
          <tr class="status">
            <th class="words" scope="row">In the plan?</th>
            <td v-for="(setup, place) in draft.setups" :key="place" class="words column">
              <span v-if="place === 0" class="quiet">baseline</span>
              <template v-else>
                <v-select
                  v-model="setup.candidate"
                  :aria-label="`Is setup ${letterOf(positions[place]!)} in the plan`"
                  :items="choices?.candidates"
                  @update:model-value="candidateChanged(place)"
                />
                <v-text-field
                  v-if="setup.candidate !== 'in'"
                  v-model="setup.reason"
                  placeholder="Why"
                  :aria-label="`Why setup ${letterOf(positions[place]!)} is left out`"
                  :error="Boolean(fields[`setups.${place}.reason`])"
                />
                <p v-if="fields[`setups.${place}.reason`]" class="message mt-1 mb-0 mx-0">
                  {{ fields[`setups.${place}.reason`] }}
                </p>
                <p v-if="fixedAs(place)" class="fails prose size-15 line-text mt-1 mb-0 mx-0 hand-edge pl-2">
                  {{ fixedAs(place) }}
                  <v-link class="text-decoration-underline" @click="leaveOut(place)"> Exclude it </v-link>
                </p>
              </template>
            </td>
            <td></td>
          </tr>
        </tbody>
      </v-table>
    </div>

    <MatrixTools :plan="plan" @add="addRow" />
    <WorksTable :plan="plan" :label="label" :timed="timed" />
  </section>
</template>

<style scoped>
.figure :is(th, td) {
  color: var(--quiet);
}
.figure .differs {
  color: var(--ink);
}
.note {
  max-width: 260px;
  margin: 0 0 4px;
}
.matrix :is(.v-select, .v-autocomplete) {
  min-width: 190px;
}
.base .v-select {
  width: 70px;
}
.matrix tbody th {
  vertical-align: middle;
  white-space: nowrap;
}
td.column {
  vertical-align: top;
}
.differs :deep(.v-field__outline) {
  --v-field-border-width: 2px;
  --v-field-border-opacity: 1;
}
.differs :deep(:is(.v-select__selection, input)) {
  font-weight: 700;
}
.out {
  opacity: 0.6;
}
.fails {
  max-width: 190px;
}
.message {
  max-width: 230px;
}
</style>
