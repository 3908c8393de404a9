<script setup lang="ts">
/** The shape of each setup's curve in numbers, beside the averages. */
import type { Schema } from '../../app/api/client'
import { figure } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'

defineProps<{ verdict: Schema['Verdict'] }>()
const { setup } = useFrame()
const within = (value: number, half: number | null, digits: number) =>
  half === null ? figure(value, digits) : `${figure(value, digits)} ± ${figure(half, digits)}`
</script>

<template>
  <v-table class="figures shapes mb-3" data-test="shapes">
    <caption>
      {{
        `Shape from ${figure(verdict.low_rpm, 0)} to ${figure(verdict.high_rpm, 0)} rpm, with the 95 % interval`
      }}
    </caption>
    <thead>
      <tr>
        <th class="words"><span class="visually-hidden">Setup</span></th>
        <th>Lowest torque, % of the highest</th>
        <th>Above {{ figure(verdict.shape_level) }} {{ verdict.torque_unit }}, rpm</th>
        <th>Power lost after its peak, %</th>
        <th class="words">At the end</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in verdict.shapes" :key="one.setup_id">
        <td class="words"><SetupMark :position="setup(one.setup_id).position" :size="18" /></td>
        <td>{{ within(one.flatness_percent, one.flatness_half, 1) }}</td>
        <td>{{ within(one.width_rpm, one.width_half, 0) }}</td>
        <td>{{ within(one.fall_percent, one.fall_half, 1) }}</td>
        <td class="words">{{ one.climbing ? 'still climbing' : 'past its peak' }}</td>
      </tr>
    </tbody>
  </v-table>
</template>

<style scoped>
.shapes caption {
  text-align: left;
  color: var(--quiet);
  padding-bottom: 4px;
}
</style>
