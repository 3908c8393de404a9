<script setup lang="ts">
/** Rows of a map: what a channel is called here, where it is in the source, and what it reads now. */
import { computed, ref } from 'vue'

import type { Schema } from '../../../app/api/client'
import { figure } from '../../../ui/figures'
import { type MapTyped, MORE, type Part, PLACE, TYPES } from './standMap'
import type { Typed } from './typed'

const map = defineModel<MapTyped>({ required: true })
const props = defineProps<{
  part: Part
  title: string
  choices: Schema['MapChannel'][]
  tried: Schema['TriedMap'] | null
  errors: Record<string, string>
}>()
const open = ref(-1)
const rows = computed(() => map.value[props.part])

const sourceAt = (row: Typed) =>
  Math.max(
    0,
    map.value.sources.findIndex((one) => one.name === row.source),
  )
const kindOf = (row: Typed) => map.value.sources[sourceAt(row)]?.kind ?? 'modbus'
const placeOf = (row: Typed) => PLACE[kindOf(row)]
const offersOf = (row: Typed) => props.tried?.sources[sourceAt(row)]?.offers ?? []
const placesOf = (row: Typed) => [...new Set(offersOf(row).map((one) => one.place))]
const pathsOf = (row: Typed) =>
  offersOf(row)
    .filter((one) => one.place === row.topic)
    .map((one) => one.path)
const unitsOf = (name: string) => props.choices.find((one) => one.name === name)?.units ?? []
const error = (at: number, key: string) => props.errors[`map.${props.part}.${at}.${key}`]
const trialOf = (at: number) => props.tried?.rows.find((one) => one.part === props.part && one.row === at)
const label = (row: Typed, at: number) => row.name || `row ${at + 1}`

/** Five digits, as far as they stand behind the point. */
const reading = (value: number) =>
  figure(value, Math.min(4, Math.max(0, 4 - Math.floor(Math.log10(Math.abs(value) || 1)))))

function rename(row: Typed, name: string | null) {
  row.name = name ?? ''
  const units = unitsOf(row.name)
  // Only where there is no choice: a unit that is guessed makes every number wrong.
  if (units.length === 1) row.unit = units[0]!
  else if (row.unit && units.length && !units.includes(row.unit)) row.unit = ''
}
function add(row: Typed = { name: '' }) {
  rows.value.push(row)
}
/** Found at the source under a name that is known here, and not mapped yet. */
const findable = computed(() => {
  const found: Typed[] = []
  map.value.sources.forEach((source, at) => {
    const place = PLACE[source.kind].key
    for (const offer of props.tried?.sources[at]?.offers ?? []) {
      const words = `${offer.about.split(',')[0]}.${offer.place}.${offer.path}`
        .toLowerCase()
        .split(/[^a-z_]+/)
      const name = props.choices.find((one) => words.includes(one.name))?.name
      const taken = [...rows.value, ...found].some((row) => row.name === name && row[place])
      if (!name || taken) continue
      const row: Typed = { name, [place]: offer.place }
      if (offer.path) row.path = offer.path
      if (at) row.source = source.name!
      rename(row, name)
      found.push(row)
    }
  })
  return found
})
const unitless = computed(
  () => rows.value.filter((row) => unitsOf(row.name ?? '').length && !row.unit).length,
)
function addFound() {
  for (const row of findable.value) {
    const begun = rows.value.find((one) => one.name === row.name)
    if (begun) Object.assign(begun, { ...row, unit: begun.unit || row.unit })
    else add(row)
  }
}
</script>

<template>
  <section :aria-label="title" :data-test="`map-${part}`">
    <h3 class="mb-1">{{ title }}</h3>
    <div v-if="rows.length" class="overflow-x-auto">
      <v-table class="figures">
        <thead>
          <tr>
            <th class="words">Channel</th>
            <th class="words">Unit</th>
            <th v-if="map.sources.length > 1" class="words">Source</th>
            <th class="words">Where</th>
            <th class="words">Scale</th>
            <th>Reads</th>
            <th class="words">More</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="(row, at) in rows" :key="at">
            <tr>
              <td class="words">
                <v-combobox
                  :model-value="row.name"
                  :aria-label="`Channel of ${label(row, at)}`"
                  :items="choices.map((one) => one.name)"
                  :error-messages="error(at, 'name')"
                  class="w-200"
                  @update:model-value="rename(row, $event)"
                />
              </td>
              <td class="words">
                <v-combobox
                  v-model="row.unit"
                  :aria-label="`Unit of ${label(row, at)}`"
                  :items="unitsOf(row.name ?? '')"
                  :placeholder="unitsOf(row.name ?? '').length ? 'choose…' : 'stored only'"
                  :error-messages="error(at, 'unit')"
                  class="w-110"
                />
              </td>
              <td v-if="map.sources.length > 1" class="words">
                <v-select
                  v-model="row.source"
                  :aria-label="`Source of ${label(row, at)}`"
                  :items="map.sources.map((one) => ({ value: one.name, label: one.name }))"
                  :error-messages="error(at, 'source')"
                  class="w-150"
                />
              </td>
              <td class="words">
                <span class="d-flex ga-1">
                  <v-combobox
                    v-model="row[placeOf(row).key]"
                    :aria-label="`${placeOf(row).label} of ${label(row, at)}`"
                    :placeholder="placeOf(row).label"
                    :items="placesOf(row)"
                    :error-messages="error(at, placeOf(row).key)"
                    class="w-320"
                  />
                  <v-combobox
                    v-if="kindOf(row) === 'mqtt'"
                    v-model="row.path"
                    :aria-label="`Path of ${label(row, at)}`"
                    placeholder="Path"
                    :items="pathsOf(row)"
                    class="w-150"
                  />
                  <v-select
                    v-if="kindOf(row) === 'modbus'"
                    :model-value="row.type ?? 'uint16'"
                    :aria-label="`Type of ${label(row, at)}`"
                    :items="TYPES.map((one) => ({ value: one, label: one }))"
                    class="w-110"
                    @update:model-value="(type: string) => (row.type = type)"
                  />
                </span>
              </td>
              <td class="words">
                <v-text-field
                  v-model="row.scale"
                  :aria-label="`Scale of ${label(row, at)}`"
                  placeholder="1"
                  :error-messages="error(at, 'scale')"
                  class="w-110"
                />
              </td>
              <td :data-test="`reads-${row.name}`">
                <template v-if="trialOf(at)?.value != null">
                  {{ reading(trialOf(at)!.value!) }} {{ row.unit }}
                  <span v-if="trialOf(at)!.rate_hz" class="quiet d-block small">
                    {{ trialOf(at)!.rate_hz }} per second
                  </span>
                </template>
                <span v-else class="quiet">{{ trialOf(at)?.why || '–' }}</span>
              </td>
              <td class="words">
                <v-btn
                  variant="text"
                  :aria-expanded="open === at"
                  :aria-label="`More of ${label(row, at)}`"
                  @click="open = open === at ? -1 : at"
                >
                  …
                </v-btn>
              </td>
            </tr>
            <tr v-if="open === at">
              <td :colspan="7" class="words">
                <div class="fields-grid align-end py-2">
                  <template v-for="field in MORE" :key="field.key">
                    <v-select
                      v-if="field.choices && (!field.only || field.only === kindOf(row))"
                      :model-value="row[field.key] ?? field.choices[0]"
                      :label="field.label"
                      :items="field.choices.map((one) => ({ value: one, label: one }))"
                      @update:model-value="(value: string) => (row[field.key] = value)"
                    />
                    <v-text-field
                      v-else-if="!field.choices"
                      v-model="row[field.key]"
                      :label="field.label"
                      :placeholder="field.hint"
                      :error-messages="error(at, field.key)"
                    />
                  </template>
                  <v-btn variant="outlined" @click="(rows.splice(at, 1), (open = -1))">Remove row</v-btn>
                </div>
              </td>
            </tr>
          </template>
        </tbody>
      </v-table>
    </div>
    <p v-if="unitless" class="hand-note mt-1">
      {{ unitless === 1 ? '1 channel has' : `${unitless} channels have` }} no unit: stored, and not computed
      with.
    </p>
    <p class="d-flex ga-2 mt-2">
      <v-btn @click="add()">{{ part === 'weather' ? 'Add weather' : 'Add channel' }}</v-btn>
      <v-btn v-if="findable.length" @click="addFound">Add {{ findable.length }} found</v-btn>
    </p>
  </section>
</template>
