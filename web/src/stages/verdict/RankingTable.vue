<script setup lang="ts">
/** The setups in their order, with the interval, the chance to be the best, and groups that are not separated. */
import { computed, ref } from 'vue'

import type { Schema } from '../../app/api/client'
import IntervalBar from '../../ui/IntervalBar.vue'
import { figure, inMoney, signed } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { chance, standing } from './words'
import TermTip from '../../ui/TermTip.vue'

const props = defineProps<{ verdict: Schema['Verdict'] }>()
const { setup } = useFrame()
const more = ref(false)

/** One scale for all bars: the widest interval fills it. */
const reach = computed(() =>
  Math.max(
    1e-9,
    ...props.verdict.placings.flatMap(({ to_baseline: found }) =>
      found ? [Math.abs(found.low), Math.abs(found.high)] : [],
    ),
  ),
)
const baseline = computed(() => setup(props.verdict.baseline_id).letter)
const groups = computed(() => Array.from({ length: props.verdict.groups }, (_, group) => group))
/** A gain in per cent with half its interval. */
const gain = ({ percent, low, high }: Schema['PercentOut']) =>
  `${signed(percent, 2)} ± ${figure((high - low) / 2, 2)}`
const gaining = computed(() => props.verdict.placings.filter((placing) => placing.gains))
</script>

<template>
  <v-table class="figures" data-test="ranking">
    <thead>
      <tr>
        <th class="words">Setup</th>
        <th>Pulls</th>
        <th><TermTip term="score">Score</TermTip><br />{{ verdict.score_unit }}</th>
        <th>Power<br />{{ verdict.power_unit }}</th>
        <th class="text-no-wrap">To {{ baseline }}, 95 %<br />{{ verdict.score_unit }}</th>
        <th>%</th>
        <th class="words"><span class="visually-hidden">Interval drawn</span></th>
        <th><TermTip term="best">Best</TermTip><br />%</th>
        <th v-if="groups.length" class="words" :colspan="groups.length">
          <TermTip term="not separated">Not separated</TermTip>
        </th>
        <th class="words">Status</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="placing in verdict.placings" :key="placing.setup_id" :class="{ apart: !placing.supported }">
        <td class="words name text-no-wrap">
          <SetupMark :position="setup(placing.setup_id).position" /> {{ setup(placing.setup_id).name }}
          <span v-if="placing.supported && placing.across_days" class="quiet small">
            linked through another session</span
          >
        </td>
        <td>{{ placing.pulls }}</td>
        <td>{{ figure(placing.score) }}</td>
        <td>{{ figure(placing.power) }}</td>
        <template v-if="placing.to_baseline">
          <td>
            {{ signed(placing.to_baseline.value) }} ±
            {{ figure((placing.to_baseline.high - placing.to_baseline.low) / 2) }}
          </td>
          <td>{{ signed(placing.to_baseline.percent, 2) }}</td>
        </template>
        <template v-else>
          <td>{{ placing.supported ? 'baseline' : 'not comparable' }}</td>
          <td>–</td>
        </template>
        <td class="words">
          <IntervalBar
            v-if="placing.supported"
            v-bind="placing.to_baseline ?? {}"
            :position="setup(placing.setup_id).position"
            :reach="reach"
          />
        </td>
        <td>{{ placing.supported && !placing.fails.length ? chance(placing.chance_percent) : '–' }}</td>
        <td v-for="group in groups" :key="group" class="words group">
          <span v-if="placing.groups.includes(group)" class="together d-block h-100">
            <span class="visually-hidden">in group {{ group + 1 }}</span>
          </span>
        </td>
        <td class="words">
          <strong v-if="standing(placing, verdict) === 'best'">best</strong>
          <template v-else>{{ standing(placing, verdict) }}</template>
          <div v-for="sentence in placing.fails" :key="sentence" class="quiet prose size-15">
            {{ sentence }}
          </div>
        </td>
      </tr>
    </tbody>
  </v-table>
  <template v-if="gaining.length">
    <v-link class="mt-2 mb-1 mx-0 quiet" :aria-expanded="more" @click="more = !more">
      {{ more ? '▾' : '▸' }} Peak, maximum and average gains; cost; drivability
    </v-link>
    <v-table v-if="more" class="figures" data-test="gains">
      <thead>
        <tr>
          <th class="words">To {{ baseline }}</th>
          <th>Peak torque, %</th>
          <th>Peak power, %</th>
          <th>Most at one speed, %</th>
          <th>at rpm</th>
          <th>Over the duty, %</th>
          <th>{{ inMoney('Parts cost') }}</th>
          <th>per {{ verdict.torque_unit }}</th>
          <th>per {{ verdict.power_unit }}</th>
          <th class="words">Observations</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="placing in gaining" :key="placing.setup_id">
          <td class="words"><SetupMark :position="setup(placing.setup_id).position" :size="18" /></td>
          <td>{{ gain(placing.gains!.peak_torque) }}</td>
          <td>{{ gain(placing.gains!.peak_power) }}</td>
          <td>{{ gain(placing.gains!.most) }}</td>
          <td>{{ figure(placing.gains!.most_rpm, 0) }}</td>
          <td>{{ gain(placing.gains!.average) }}</td>
          <td :title="placing.unknown_prices.join(', ')">
            {{
              placing.unknown_prices.length
                ? 'not known'
                : placing.hidden_prices.length
                  ? 'not shown'
                  : figure(placing.cost, 0)
            }}
          </td>
          <td>{{ figure(placing.cost_per_torque, 0) }}</td>
          <td>{{ figure(placing.cost_per_power, 0) }}</td>
          <td class="words prose size-15">{{ placing.manners.join(' · ') }}</td>
        </tr>
      </tbody>
    </v-table>
  </template>
</template>

<style scoped>
.name svg {
  vertical-align: middle;
  margin-right: 4px;
}
.group {
  width: 16px;
  padding: 0 2px;
  height: 1px;
}
.together {
  width: 12px;
  min-height: 30px;
  background: repeating-linear-gradient(135deg, transparent 0 3px, var(--hatch) 3px 4px);
}
.apart {
  color: var(--quiet);
}
</style>
