<script setup lang="ts">
/** Engines, all of them, and the next one: figures in a table, intervals on one scale beside them. */
import { computed } from 'vue'

import { signed } from '../../ui/figures'
import EffectBar from './EffectBar.vue'
import type { Guideline } from './useGuidelines'

const props = defineProps<{ guideline: Guideline }>()
const BEARINGS: Record<string, string> = { for: 'for', against: 'against', neither: 'undecided' }
const pooled = computed(() => props.guideline.said.pooled)
const several = computed(() => (props.guideline.said.engines > 1 ? pooled.value : null))
const digits = computed(() => (props.guideline.said.unit === 'rpm' ? 0 : 1))
const ends = computed(() => {
  const rows = props.guideline.by_engine.map((one) => one.effect)
  const all = [0, ...rows.flatMap((one) => [one.low, one.high])]
  if (pooled.value) all.push(pooled.value.low, pooled.value.high)
  if (pooled.value?.next_low != null && pooled.value.next_high != null)
    all.push(pooled.value.next_low, pooled.value.next_high)
  const [low, high] = [Math.min(...all), Math.max(...all)]
  return { from: low - (high - low) * 0.04, to: high + (high - low) * 0.04 }
})
</script>

<template>
  <v-table class="figures close" data-test="by-engine">
    <caption class="text-left quiet">
      Measured, by engine, with 95 % intervals. Shaded: too small to matter
    </caption>
    <thead>
      <tr>
        <th class="words">Engine</th>
        <th>Tests</th>
        <th>Effect of a step, {{ guideline.said.unit }}</th>
        <th>From</th>
        <th>To</th>
        <th class="words d-none d-md-table-cell" aria-hidden="true" />
        <th class="words">Speaks</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in guideline.by_engine" :key="row.engine">
        <td class="words">{{ row.engine }}</td>
        <td>{{ row.tests }}</td>
        <td>{{ signed(row.effect.mean, digits) }}</td>
        <td>{{ signed(row.effect.low, digits) }}</td>
        <td>{{ signed(row.effect.high, digits) }}</td>
        <td class="d-none d-md-table-cell">
          <EffectBar v-bind="{ ...row.effect, ...ends }" :smallest="guideline.smallest_effect" />
        </td>
        <td class="words">{{ BEARINGS[row.bearing] }}</td>
      </tr>
      <tr v-if="several" class="border-t">
        <td class="words"><strong>All engines, on average</strong></td>
        <td>{{ guideline.said.tests }}</td>
        <td>{{ signed(several.mean, digits) }}</td>
        <td>{{ signed(several.low, digits) }}</td>
        <td>{{ signed(several.high, digits) }}</td>
        <td class="d-none d-md-table-cell">
          <EffectBar v-bind="{ ...several, ...ends }" :smallest="guideline.smallest_effect" />
        </td>
        <td />
      </tr>
      <tr v-if="several">
        <td class="words"><strong>The next engine</strong></td>
        <template v-if="several.next_low != null && several.next_high != null">
          <td />
          <td />
          <td>{{ signed(several.next_low, digits) }}</td>
          <td>{{ signed(several.next_high, digits) }}</td>
          <td class="d-none d-md-table-cell">
            <EffectBar
              :low="several.next_low"
              :high="several.next_high"
              v-bind="ends"
              :smallest="guideline.smallest_effect"
              ahead
            />
          </td>
          <td />
        </template>
        <td v-else colspan="6" class="words quiet">not known of two engines</td>
      </tr>
    </tbody>
  </v-table>
</template>
