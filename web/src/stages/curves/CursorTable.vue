<script setup lang="ts">
/** Every setup at the cursor: torque, power, and the difference or the overlay; its mark hides its curve. */
import type { Schema } from '../../app/api/client'
import { useFrame } from '../../app/frame'
import { figure, signed } from '../../ui/figures'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { undividedWords } from '../verdict/words'

type Overlay = Schema['OverlayOut']
defineProps<{
  curves: Schema['Curves']
  /** Place of the cursor among the speeds. */
  bin: number
  hidden: Set<number>
  overlay: Overlay | null
}>()
const emit = defineEmits<{ toggle: [setup: number] }>()
const { setup } = useFrame()
</script>

<template>
  <v-table class="figures close" data-test="cursor-table">
    <thead>
      <tr>
        <th class="words"><span class="visually-hidden">Setup</span></th>
        <th>{{ curves.torque_unit }}</th>
        <th>{{ curves.power_unit }}</th>
        <th>{{ overlay ? overlay.unit : `to ${setup(curves.reference_id).letter}` }}</th>
      </tr>
    </thead>
    <tbody>
      <tr
        v-for="row in curves.setups"
        :key="row.setup_id"
        :class="{ 'opacity-40': hidden.has(row.setup_id) }"
      >
        <td class="words">
          <v-link
            :aria-pressed="!hidden.has(row.setup_id)"
            :aria-label="`Show ${setup(row.setup_id).letter} ${setup(row.setup_id).name}`"
            :title="setup(row.setup_id).name"
            @click="emit('toggle', row.setup_id)"
          >
            <SetupMark :position="setup(row.setup_id).position" />
          </v-link>
        </td>
        <td>{{ figure(row.torque[bin]) }}</td>
        <td>{{ figure(row.power[bin]) }}</td>
        <td v-if="overlay">{{ figure(overlay.setups[row.setup_id]?.[bin], 2) }}</td>
        <td v-else>
          <template v-if="row.difference">
            {{ signed(row.difference.value[bin]) }} ±
            {{ figure((row.difference.high[bin]! - row.difference.low[bin]!) / 2) }}
            <span class="state quiet small">{{ undividedWords(row.difference.state[bin]) }}</span>
          </template>
          <template v-else>{{ row.supported ? '–' : 'not comparable' }}</template>
        </td>
      </tr>
    </tbody>
  </v-table>
</template>
