<script setup lang="ts">
/** When, on which stand and in which air pulls from elsewhere were made. What is left empty stays unknown. */
import { computed } from 'vue'

import { useMe } from '../../app/api/queries'
import { isoDay, useImportChoices, type WhereTyped } from './where'
import { choicesOf } from '../../ui/choices'

defineProps<{ wrong: Record<string, string>; hasFigures: boolean; hasSamples: boolean; mayKeep?: boolean }>()
const where = defineModel<WhereTyped>({ required: true })
const { data: choices } = useImportChoices()
/** The day as the date field has it; the wire has it as 2026-11-28. */
const day = computed({
  get: () => (where.value.day ? new Date(`${where.value.day}T00:00`) : null),
  set: (date: Date | null) => (where.value.day = date ? isoDay(date) : ''),
})
const { data: me } = useMe()
</script>

<template>
  <fieldset class="where fields border on-panel pt-2 pb-3 px-3">
    <legend class="quiet px-2">Applies to all files</legend>
    <v-date-input v-model="day" label="Day" :error-messages="wrong.day" />
    <v-combobox
      v-model="where.stand_name"
      label="Stand"
      placeholder="Elsewhere"
      :items="choices?.stand_names ?? []"
    />
    <v-text-field v-model="where.fuel" label="Fuel" placeholder="not known" />
    <v-select
      v-if="hasFigures"
      v-model="where.figures_standard"
      label="Printed figures are"
      :error-messages="wrong.figures_standard"
      placeholder="choose…"
      :items="choicesOf(choices?.standards)"
    />
    <template v-if="hasSamples">
      <v-select
        v-model="where.inertia_in_torque"
        label="Inertia of the sweep"
        :items="choicesOf(choices?.inertia)"
      />
      <v-text-field
        v-if="where.inertia_in_torque === 'not_included'"
        v-model="where.inertia"
        :label="`Inertia, ${me?.units.inertia}`"
        inputmode="decimal"
        :error-messages="wrong.inertia"
      />
    </template>
    <v-text-field
      v-model="where.barometer"
      :label="`Barometer at the inlet, ${me?.units.air_pressure}`"
      inputmode="decimal"
      placeholder="not known"
      :error-messages="wrong.barometer"
    />
    <v-text-field
      v-model="where.air_temperature"
      :label="`Inlet air, ${me?.units.temperature}`"
      inputmode="decimal"
      placeholder="not known"
      :error-messages="wrong.air_temperature"
    />
    <v-text-field
      v-model="where.humidity_percent"
      label="Humidity, %"
      inputmode="decimal"
      placeholder="not known"
      :error-messages="wrong.humidity_percent ?? wrong.relative_humidity"
    />
    <v-checkbox
      v-if="mayKeep !== false"
      v-model="where.keep"
      class="all-columns"
      label="Accept every one that gives a curve, without a look at each"
    />
  </fieldset>
</template>
