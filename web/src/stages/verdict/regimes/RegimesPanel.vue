<script setup lang="ts">
/** Where one part overtakes another as the level rises: sentences, the difference along the level, and the map. */
import { computed } from 'vue'

import type { Schema } from '../../../app/api/client'
import { figure } from '../../../ui/figures'
import LevelChart from './LevelChart.vue'
import RegimeMap from './RegimeMap.vue'

const props = defineProps<{ regimes: Schema['RegimesOut'] }>()
const names = (parts: number[]) => parts.map((part) => props.regimes.along_parts[part]!).join(', ')
const STATES: Record<string, string> = {
  ahead: 'ahead',
  equal: 'equal',
  small: 'a wash',
  undecided: 'undecided',
}
const digits = computed(() => (props.regimes.level_unit === '°' ? 0 : 2))
function span(low: number, high: number): string {
  const [from, to] = [figure(low, digits.value), figure(high, digits.value)]
  return from === to ? `at ${to} ${props.regimes.level_unit}` : `${from} to ${to} ${props.regimes.level_unit}`
}
</script>

<template>
  <section class="pt-3" data-test="regimes">
    <p v-for="line in regimes.linked" :key="line" class="text sentence quiet" data-test="linked">
      {{ line }}
    </p>
    <p v-for="sentence in regimes.sentences" :key="sentence" class="text sentence">{{ sentence }}</p>
    <template v-if="regimes.along.length">
      <LevelChart :regimes="regimes" />
      <RegimeMap v-if="regimes.map.length" :regimes="regimes" />
      <v-table class="figures close mt-4" data-test="zones">
        <caption class="text-left quiet">
          Who leads along the level, over the duty that is judged
        </caption>
        <thead>
          <tr>
            <th class="words">{{ regimes.level_kind }}</th>
            <th class="words">Leading</th>
            <th class="words">How they stand</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="zone in regimes.zones" :key="zone.low">
            <td class="words">{{ span(zone.low, zone.high) }}</td>
            <td class="words">{{ names(zone.parts) }}</td>
            <td class="words">
              {{ STATES[zone.state] }}
              <template v-if="zone.parts.length > 1">within {{ figure(zone.at_most_percent) }} %</template>
            </td>
          </tr>
        </tbody>
      </v-table>
      <v-table class="figures close mt-4" data-test="duty-regimes">
        <caption class="text-left quiet">
          The same for each usual duty
        </caption>
        <thead>
          <tr>
            <th class="words">Duty</th>
            <th class="words">Leading, from the lowest level to the highest</th>
            <th class="words">Change-over</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in regimes.duties" :key="one.duty">
            <td class="words">{{ one.label }}</td>
            <td class="words">
              <div v-for="zone in one.zones" :key="zone.low">
                {{ span(zone.low, zone.high) }}: {{ names(zone.parts) }}
                <span v-if="zone.parts.length > 1" class="quiet">{{ STATES[zone.state] }}</span>
              </div>
            </td>
            <td class="words">
              <div v-for="sentence in one.sentences" :key="sentence">{{ sentence }}</div>
              <span v-if="!one.sentences.length" class="quiet">none</span>
            </td>
          </tr>
        </tbody>
      </v-table>
    </template>
    <p v-for="note in regimes.notes" :key="note" class="text quiet">{{ note }}</p>
  </section>
</template>

<style scoped>
.sentence {
  margin: 0 0 6px;
}
</style>
