<script setup lang="ts">
/** Readings of the air as somebody takes them, and what follows: density, and the factor of every standard. */
import { computed, watch } from 'vue'

import type { Schema } from '../../app/api/client'
import { useMe } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { figure } from '../../ui/figures'
import { MOISTURE, type Readings, useAir } from './useAir'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import { useUnsaved } from '../../ui/useUnsaved'
import QuantityField from '../../ui/QuantityField.vue'
import TermTip from '../../ui/TermTip.vue'

const props = defineProps<{
  elevation?: string
  inForce?: string
  /** Under which name unsaved readings are found again. */
  unsaved: string
}>()
const { data: me } = useMe()
const readings = useUnsaved<Readings>(props.unsaved, {
  barometer: '',
  barometer_is_sea_level: false,
  elevation: props.elevation ?? '',
  temperature: '',
  moisture: 'relative_humidity',
  moisture_value: '',
  tolerance: { pressure: '', temperature: '', moisture: '' },
  fuel_delivery: '',
  quoted_power: '',
  quoted_standard: 'observed',
  charging: 'unblown_or_mechanical',
})
/** The stand was moved, or another has the session: what was typed for the one before is not its elevation. */
const given = useUnsaved(`${props.unsaved}: elevation of the stand`, '')
watch(
  () => props.elevation ?? '',
  (elevation) => {
    if (elevation === given.value) return
    given.value = elevation
    readings.value.elevation = elevation
  },
  { immediate: true },
)
const { found, fields, error } = useAir(() => ({
  ...readings.value,
  tolerance: { ...readings.value.tolerance },
}))
const units = computed(() => me.value?.units ?? {})
const moistureUnit = computed(() =>
  readings.value.moisture === 'relative_humidity' ? '%' : units.value.temperature,
)

function words(shown: Schema['Shown'] | null): string {
  return shown ? `${figure(shown.value, shown.digits)} ${shown.unit}` : '–'
}
defineExpose({ readings })
</script>

<template>
  <div class="split" style="--first: 350px; --second: 1fr">
    <v-form class="readings labels-beside" @submit.prevent>
      <h2>Readings</h2>
      <QuantityField
        v-model="readings.barometer"
        label="Barometer"
        :wrong="fields.barometer"
        :unit="units.air_pressure"
      />
      <v-select
        v-model="readings.barometer_is_sea_level"
        label="Barometer shows"
        :items="[
          { value: false, label: 'station pressure' },
          { value: true, label: 'sea-level pressure' },
        ]"
      />
      <QuantityField
        v-model="readings.elevation"
        label="Elevation"
        :wrong="fields.elevation"
        :unit="units.elevation"
      />
      <QuantityField
        v-model="readings.temperature"
        label="Dry bulb"
        :wrong="fields.temperature"
        :unit="units.temperature"
      />
      <div class="d-flex align-center ga-2">
        <v-select v-model="readings.moisture" aria-label="Moisture is read as" :items="MOISTURE" />
        <v-text-field
          v-model="readings.moisture_value"
          class="number w-150"
          autocomplete="off"
          :suffix="moistureUnit"
          :aria-label="MOISTURE.find((way) => way.value === readings.moisture)!.label"
          :error="Boolean(fields.moisture_value)"
        />
      </div>
      <p v-if="fields.moisture_value" class="message mt-0 mb-1 mx-0" role="alert">
        {{ fields.moisture_value }}
      </p>
      <DisclosurePanel title="Instruments, ±">
        <v-text-field
          v-model="readings.tolerance!.pressure"
          label="Tolerance of the barometer"
          placeholder="1 hPa"
          :error-messages="fields.tolerance_pressure"
        />
        <v-text-field
          v-model="readings.tolerance!.temperature"
          label="Tolerance of the thermometer"
          placeholder="0.5 K"
          :error-messages="fields.tolerance_temperature"
        />
        <v-text-field
          v-model="readings.tolerance!.moisture"
          label="Tolerance of the moisture"
          :placeholder="readings.moisture === 'relative_humidity' ? '3 %' : '0.5 K'"
          :error-messages="fields.tolerance_moisture"
        />
      </DisclosurePanel>
      <DisclosurePanel title="Convert a quoted power">
        <QuantityField
          v-model="readings.quoted_power"
          label="Quoted power"
          :wrong="fields.quoted_power"
          :unit="units.power"
        />
        <v-select
          v-model="readings.quoted_standard"
          label="Quoted under"
          :items="(found?.factors ?? []).map((row) => ({ value: row.standard, label: row.label }))"
        />
      </DisclosurePanel>
      <DisclosurePanel title="Diesel engine">
        <v-text-field
          v-model="readings.fuel_delivery"
          label="Fuel delivery"
          :error-messages="fields.fuel_delivery"
        />
        <v-select
          v-model="readings.charging"
          label="Charging"
          :items="[
            { value: 'unblown_or_mechanical', label: 'naturally aspirated or supercharged' },
            { value: 'turbo', label: 'turbocharged' },
          ]"
        />
      </DisclosurePanel>
      <slot name="below" :readings="readings" :usable="found !== null" />
    </v-form>
    <div aria-live="polite">
      <ProblemNote :error="error" />
      <p v-if="!found" class="text quiet">
        Type a barometer, a temperature and one moisture reading. Each may carry its unit: 29.12 inHg, 72 °F,
        50 %.
      </p>
      <template v-else>
        <p v-for="note in found.notes" :key="note" class="text hand-edge pl-2 mt-0 mb-3 mx-0">{{ note }}</p>
        <dl class="d-flex flex-wrap gr-2 gc-7 mb-4">
          <div>
            <dt class="quiet small">At the stand</dt>
            <dd class="ma-0 size-16 text-no-wrap">{{ words(found.figures.station) }}</dd>
          </div>
          <div v-if="found.figures.sea_level">
            <dt class="quiet small">At sea level</dt>
            <dd class="ma-0 size-16 text-no-wrap">{{ words(found.figures.sea_level) }}</dd>
          </div>
          <div>
            <dt class="quiet small">Vapor pressure</dt>
            <dd class="ma-0 size-16 text-no-wrap">{{ words(found.figures.vapour) }}</dd>
          </div>
          <div>
            <dt class="quiet small">Dry air pressure</dt>
            <dd class="ma-0 size-16 text-no-wrap">{{ words(found.figures.dry) }}</dd>
          </div>
          <div>
            <dt class="quiet small">Humidity</dt>
            <dd class="ma-0 size-16 text-no-wrap">{{ words(found.figures.relative_humidity) }}</dd>
          </div>
          <div>
            <dt class="quiet small">Density</dt>
            <dd class="ma-0 size-16 text-no-wrap">{{ figure(found.figures.density_kg_m3, 4) }} kg/m³</dd>
          </div>
          <div>
            <dt class="quiet small"><TermTip term="density altitude">Density altitude</TermTip></dt>
            <dd class="ma-0 size-16 text-no-wrap">{{ words(found.figures.density_altitude) }}</dd>
          </div>
        </dl>
        <v-table class="figures" data-test="factors">
          <thead>
            <tr>
              <th class="words">Standard</th>
              <th class="words">Refers to</th>
              <th>Factor</th>
              <th class="words">Valid</th>
              <th>Barometer<br />± %</th>
              <th>Thermometer<br />± %</th>
              <th>Moisture<br />± %</th>
              <th>Combined<br />± %</th>
              <th v-if="readings.quoted_power">Power<br />{{ found.power_unit }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in found.factors" :key="row.standard" :class="{ force: row.standard === inForce }">
              <td class="words" :title="row.source">
                {{ row.label }}
                <div v-if="row.note || row.needs" class="quiet small">{{ row.note || row.needs }}</div>
              </td>
              <td class="words quiet">{{ row.reference || '–' }}</td>
              <td>
                <strong v-if="row.factor !== null">{{ figure(row.factor, 4) }}</strong>
                <span v-else>–</span>
              </td>
              <td class="words text-no-wrap">
                <span v-if="!row.inside" class="hand-note small">outside</span>
                <span v-else-if="row.large" class="hand-note small">above 7 %</span>
                <span v-if="row.valid" class="quiet">
                  {{ figure(row.valid[0], 2) }} to {{ figure(row.valid[1], 2) }}</span
                >
                <span v-else class="quiet"> no range given</span>
              </td>
              <td>{{ figure(row.pressure_percent, 2) }}</td>
              <td>{{ figure(row.temperature_percent, 2) }}</td>
              <td>{{ figure(row.moisture_percent, 2) }}</td>
              <td>{{ figure(row.together_percent, 2) }}</td>
              <td v-if="readings.quoted_power">{{ figure(row.power) }}</td>
            </tr>
          </tbody>
        </v-table>
        <p class="text quiet size-15 most-680">
          A factor scales what was measured. It cannot make up for a mixture or spark that did not suit that
          air, for heat in the manifold, or for what a blower does with other air.
        </p>
      </template>
    </div>
  </div>
</template>

<style scoped>
.readings {
  --label: 152px;
}
.force td {
  background: var(--panel);
}
</style>
