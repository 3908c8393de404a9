<script setup lang="ts">
/** A build step by step: what each step gained, all together, and what that cost. */
import { computed } from 'vue'

import type { Schema } from '../../app/api/client'
import { figure, signed } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { undividedWords } from '../verdict/words'

const props = defineProps<{ steps: Schema['StepwiseOut'] }>()
const { setup } = useFrame()
const WIDTH = 220
const reach = computed(() =>
  Math.max(
    1e-9,
    ...props.steps.rungs.map((rung) => Math.max(rung.cumulative?.high ?? 0, rung.gain?.high ?? 0)),
  ),
)
const lowest = computed(() => Math.min(0, ...props.steps.rungs.map((rung) => rung.cumulative?.low ?? 0)))
const at = (value: number) => ((value - lowest.value) / (reach.value - lowest.value)) * (WIDTH - 4) + 2
function gainWords(found: Schema['DifferenceOut'] | null): string {
  return found ? `${signed(found.value)} ± ${figure((found.high - found.low) / 2)}` : 'not supported'
}
</script>

<template>
  <section>
    <v-table class="figures" data-test="steps">
      <thead>
        <tr>
          <th class="words">Step</th>
          <th class="words">What changed</th>
          <th class="text-no-wrap">Gain<br />{{ steps.torque_unit }}, 95 %</th>
          <th>%</th>
          <th class="text-no-wrap">Cumulative gain<br />{{ steps.torque_unit }}, 95 %</th>
          <th class="words"><span class="visually-hidden">Cumulative gain, drawn</span></th>
          <th>Cost</th>
          <th class="text-no-wrap">per {{ steps.torque_unit }}</th>
          <th class="text-no-wrap">per {{ steps.power_unit }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="rung in steps.rungs" :key="rung.setup_id">
          <td class="words name text-no-wrap">
            <SetupMark :position="setup(rung.before_id).position" :size="16" /> →
            <SetupMark :position="setup(rung.setup_id).position" :size="20" />
            {{ setup(rung.setup_id).name }}
          </td>
          <td class="words prose size-15">{{ rung.changes.join(' · ') || 'nothing' }}</td>
          <td>
            {{ gainWords(rung.gain) }}
            <div v-if="undividedWords(rung.gain?.state)" class="quiet">
              {{ undividedWords(rung.gain?.state, rung.gain?.at_most_percent) }}
            </div>
            <div v-else-if="rung.smaller" class="quiet">less than the step before</div>
          </td>
          <td>{{ signed(rung.gain?.percent, 2) }}</td>
          <td>{{ gainWords(rung.cumulative) }}</td>
          <td class="words">
            <svg v-if="rung.cumulative && rung.gain" :width="WIDTH" height="20" aria-hidden="true">
              <line :x1="at(0)" y1="0" :x2="at(0)" y2="20" stroke="var(--quiet)" />
              <rect
                :x="at(Math.min(rung.cumulative.value - rung.gain.value, rung.cumulative.value))"
                y="5"
                :width="Math.max(Math.abs(at(rung.gain.value) - at(0)), 1)"
                height="10"
                :fill="undividedWords(rung.gain.state) ? 'var(--hatch)' : 'var(--ink)'"
              />
              <line
                :x1="at(rung.cumulative.low)"
                y1="10"
                :x2="at(rung.cumulative.high)"
                y2="10"
                stroke="var(--quiet)"
                stroke-width="2"
              />
            </svg>
          </td>
          <td>{{ rung.cost === null ? 'not known' : figure(rung.cost, 0) }}</td>
          <td>{{ figure(rung.cost_per_torque, 0) }}</td>
          <td>{{ figure(rung.cost_per_power, 0) }}</td>
        </tr>
      </tbody>
    </v-table>
    <p v-if="!steps.rungs.length" class="text quiet">
      One setup alone has no steps. Accept a pull of another.
    </p>
    <p v-else class="text quiet">{{ steps.notes[0] }}</p>
  </section>
</template>

<style scoped>
p {
  margin: 10px 0 0;
}
</style>
