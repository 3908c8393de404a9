<script setup lang="ts">
/** The reduced curve of a pull, bin by bin: the table of its chart. */
import type { Schema } from '../../app/api/client'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import { figure } from '../../ui/figures'

defineProps<{ shown: Schema['InspectionOut'] }>()
</script>

<template>
  <DisclosurePanel class="most-680" title="The bins as a table">
    <v-table class="figures">
      <thead>
        <tr>
          <th>rpm</th>
          <th>Observed, {{ shown.torque_unit }}</th>
          <th v-if="shown.corrected.length">{{ shown.standard_label }}, {{ shown.torque_unit }}</th>
          <th v-if="shown.power.length">Power, {{ shown.power_unit }}</th>
          <th v-if="shown.scatter.length">Scatter, {{ shown.torque_unit }}</th>
          <th>Samples</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(speed, at) in shown.speed_rpm" :key="speed">
          <td>{{ speed }}</td>
          <td>{{ figure(shown.observed[at]) }}</td>
          <td v-if="shown.corrected.length">{{ figure(shown.corrected[at]) }}</td>
          <td v-if="shown.power.length">{{ figure(shown.power[at]) }}</td>
          <td v-if="shown.scatter.length">{{ figure(shown.scatter[at], 2) }}</td>
          <td>{{ shown.has_samples ? shown.samples[at] : shown.samples[at] ? 'written' : 'between' }}</td>
        </tr>
      </tbody>
    </v-table>
  </DisclosurePanel>
</template>
