<script setup lang="ts">
/** The peaks of the mean curves over the speeds that all were run at, and what an allowance leaves of them. */
import type { Schema } from '../../app/api/client'
import { useFrame } from '../../app/frame'
import { figure } from '../../ui/figures'
import SetupMark from '../../ui/setups/SetupMark.vue'
import TermTip from '../../ui/TermTip.vue'

defineProps<{ curves: Schema['Curves'] }>()
const { setup } = useFrame()
</script>

<template>
  <v-table class="figures close">
    <thead>
      <tr>
        <th class="words"><span class="visually-hidden">Setup</span></th>
        <th>{{ curves.torque_unit }}</th>
        <th>at rpm</th>
        <th>{{ curves.power_unit }}</th>
        <th>at rpm</th>
        <th v-if="curves.allowance"><TermTip term="installed" /></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in curves.setups" :key="row.setup_id">
        <td class="words"><SetupMark :position="setup(row.setup_id).position" :size="18" /></td>
        <td>{{ figure(row.peak_torque.value) }}</td>
        <td>{{ row.peak_torque.speed_rpm }}</td>
        <td>{{ figure(row.peak_power.value) }}</td>
        <td>
          {{ row.peak_power.speed_rpm }}<template v-if="row.peak_power.still_climbing"> ↗</template
          ><sup v-if="row.runs_longer" title="Its pulls go on further than the others'"> *</sup>
        </td>
        <td v-if="curves.allowance">{{ figure(row.installed_peak_power) }}</td>
      </tr>
    </tbody>
  </v-table>
  <p v-if="curves.setups.some((row) => row.runs_longer)" class="quiet prose size-15 line-text mt-1">
    * Its pulls go on further than the others'. Peaks are those of the speeds that all were run at.
  </p>
  <p v-if="curves.allowance" class="quiet prose size-15 line-text mt-1" data-test="allowance">
    Installed: peak power less {{ figure(curves.allowance.power) }} {{ curves.power_unit }} allowed for
    {{ curves.allowance.items.join(', ') }}. The curves are as measured.
  </p>
</template>
