<script setup lang="ts">
/** Boost by both schools: how each pull held its target, what made the power at a fixed drive, and the exhaust's cost. */
import { computed } from 'vue'

import type { Schema } from '../../../app/api/client'
import { useAddress } from '../../../app/useAddress'
import { useFrame } from '../../../app/frame'
import { figure, signed } from '../../../ui/figures'
import SetupMark from '../../../ui/setups/SetupMark.vue'

const props = defineProps<{ boosted: Schema['BoostedOut'] }>()
const { setup } = useFrame()

/** The school that was agreed on comes first; the other stays at hand. */
const shown = useAddress('boost', props.boosted.policy === 'equal_drive' ? 'drive' : 'boost')
const within = (one: Schema['PercentOut'] | null) =>
  one ? `${signed(one.percent, 2)} ± ${figure((one.high - one.low) / 2, 2)}` : '–'
const span = (one: Schema['SpanOut'] | null, digits: number) =>
  one ? `${signed(one.value, digits)} ± ${figure((one.high - one.low) / 2, digits)}` : '–'
const baseline = computed(() => setup(props.boosted.baseline_id).letter)
/** Every fifth bin is enough to read; the chart of Curves has them all. */
const bins = computed(() =>
  props.boosted.speed_rpm.map((rpm, at) => ({ rpm, at })).filter(({ rpm }) => rpm % 500 === 0),
)
const driven = computed(() => props.boosted.setups.filter((one) => one.by_speed))
</script>

<template>
  <section class="pt-3" data-test="boosted">
    <p class="text">
      {{ boosted.policy_label }}. Both ways of reading are always here; the one agreed on comes first.
    </p>
    <v-btn-toggle v-model="shown" mandatory class="mb-3" aria-label="How boost is read">
      <v-btn value="boost">Equal boost</v-btn>
      <v-btn value="drive">Equal drive</v-btn>
      <v-btn v-if="boosted.pairs.length" value="exhaust">At the same boost</v-btn>
    </v-btn-toggle>
    <v-table v-if="shown === 'boost'" class="figures close" data-test="boost-held">
      <caption class="text-left quiet">
        Boost against its target, window ±
        {{
          figure(boosted.window, 3)
        }}
        {{
          boosted.boost_unit
        }}; what a miss is worth is an allowance beside the result
      </caption>
      <thead>
        <tr>
          <th class="words">Pull</th>
          <th>Target<br />{{ boosted.boost_unit }}</th>
          <th>Reached<br />{{ boosted.boost_unit }}</th>
          <th>from rpm</th>
          <th>Miss worth, %, 95 %</th>
          <th class="words">Where, and how it is known</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="pull in boosted.pulls" :key="pull.pull_id">
          <td class="words text-no-wrap">
            <SetupMark :position="setup(pull.setup_id).position" :size="18" /> pull {{ pull.number }}
          </td>
          <td>{{ figure(pull.target, 2) }}</td>
          <td>{{ figure(pull.reached, 2) }}</td>
          <td>{{ figure(pull.from_rpm, 0) }}</td>
          <td class="text-no-wrap">{{ within(pull.worth) }}</td>
          <td class="words">{{ pull.words }}</td>
        </tr>
      </tbody>
    </v-table>
    <template v-else-if="shown === 'drive'">
      <v-table class="figures close" data-test="boost-driven">
        <caption class="text-left quiet">
          Against
          {{
            baseline
          }}, over the duty: on the log scale boost and breathing add up to power
        </caption>
        <thead>
          <tr>
            <th class="words">Setup</th>
            <th>Boost<br />{{ boosted.boost_unit }}</th>
            <th>Power, %</th>
            <th>by boost, %</th>
            <th>by breathing, %</th>
            <th class="words">Reading</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in boosted.setups" :key="one.setup_id">
            <td class="words"><SetupMark :position="setup(one.setup_id).position" :size="18" /></td>
            <td>{{ figure(one.boost, 2) }}</td>
            <td class="text-no-wrap">{{ within(one.power) }}</td>
            <td class="text-no-wrap">{{ within(one.pressure) }}</td>
            <td class="text-no-wrap">{{ within(one.breathing) }}</td>
            <td class="words">{{ one.words || 'baseline' }}</td>
          </tr>
        </tbody>
      </v-table>
      <v-table v-if="driven.length" class="figures close mt-4" data-test="breathing-by-speed">
        <caption class="text-left quiet">
          Breathing against
          {{
            baseline
          }}
          by speed, %, 95 % for all speeds together
        </caption>
        <thead>
          <tr>
            <th class="words">Setup</th>
            <th v-for="bin in bins" :key="bin.rpm">{{ bin.rpm }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in driven" :key="one.setup_id">
            <td class="words"><SetupMark :position="setup(one.setup_id).position" :size="18" /></td>
            <td v-for="bin in bins" :key="bin.rpm" class="text-no-wrap">
              {{ signed(one.by_speed!.percent[bin.at], 1) }}
              <div class="quiet small">
                ± {{ figure((one.by_speed!.high[bin.at]! - one.by_speed!.low[bin.at]!) / 2, 1) }}
              </div>
            </td>
          </tr>
        </tbody>
      </v-table>
    </template>
    <template v-else>
      <p v-for="pair in boosted.pairs" :key="`${pair.one_id} ${pair.other_id}`" class="text sentence">
        {{ pair.words }}
      </p>
      <v-table class="figures close mt-2" data-test="same-boost">
        <thead>
          <tr>
            <th class="words">Setup, against</th>
            <th>Boost<br />{{ boosted.boost_unit }}</th>
            <th>Power, %</th>
            <th>Back pressure<br />{{ boosted.boost_unit }}</th>
            <th>Turbine, rpm</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="pair in boosted.pairs" :key="`${pair.one_id} ${pair.other_id}`">
            <td class="words text-no-wrap">
              <SetupMark :position="setup(pair.other_id).position" :size="18" /> to
              <SetupMark :position="setup(pair.one_id).position" :size="18" />
            </td>
            <td>{{ signed(pair.boost, 2) }}</td>
            <td class="text-no-wrap">{{ within(pair.power) }}</td>
            <td class="text-no-wrap">{{ span(pair.back_pressure, 2) }}</td>
            <td class="text-no-wrap">{{ span(pair.turbine_rpm, 0) }}</td>
          </tr>
        </tbody>
      </v-table>
      <v-table class="figures close mt-4" data-test="boost-ratios">
        <caption class="text-left quiet">
          Exhaust pressure over boost by speed; – where boost is near nothing
        </caption>
        <thead>
          <tr>
            <th class="words">Setup</th>
            <th v-for="bin in bins" :key="bin.rpm">{{ bin.rpm }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in boosted.ratios" :key="one.setup_id">
            <td class="words"><SetupMark :position="setup(one.setup_id).position" :size="18" /></td>
            <td v-for="bin in bins" :key="bin.rpm">{{ figure(one.ratio[bin.at], 2) }}</td>
          </tr>
        </tbody>
      </v-table>
    </template>
    <p v-for="note in boosted.notes" :key="note" class="text quiet">{{ note }}</p>
  </section>
</template>

<style scoped>
.sentence {
  margin: 0 0 4px;
}
</style>
