<script setup lang="ts">
/** When, on which stand and in which air pulls from elsewhere were made. What is left empty stays unknown. */
import { useMe } from '../../app/api/queries'
import { useImportChoices, type WhereTyped } from './where'
import { choicesOf } from '../../ui/choices'

defineProps<{ wrong: Record<string, string>; hasFigures: boolean; hasSamples: boolean; mayKeep?: boolean }>()
const where = defineModel<WhereTyped>({ required: true })
const { data: choices } = useImportChoices()
const { data: me } = useMe()
</script>

<template>
  <fieldset class="where border on-panel pt-2 pb-3 px-3 d-grid gr-2 gc-4 align-start">
    <legend>Applies to all files</legend>
    <label>
      Day
      <input v-model="where.day" type="date" :aria-invalid="!!wrong.day" />
      <small v-if="wrong.day" role="alert">{{ wrong.day }}</small>
    </label>
    <label>
      Stand
      <input v-model="where.stand_name" list="stand-names" placeholder="Elsewhere" />
      <datalist id="stand-names">
        <option v-for="name in choices?.stand_names" :key="name" :value="name" />
      </datalist>
    </label>
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
      label="Count every one that gives a curve, without a look at each"
    />
  </fieldset>
</template>

<style scoped>
label small {
  color: var(--stop);
}
label > input:not([type='checkbox']) {
  color: var(--ink);
  width: 100%;
  min-width: 0;
}
.where {
  grid-template-columns: repeat(auto-fill, minmax(190px, 1fr));
}
legend {
  color: var(--quiet);
  padding: 0 6px;
}
label {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 3px;
  color: var(--quiet);
}
.tick {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
  gap: 8px;
  color: var(--ink);
}
</style>
