<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { Problem } from '../api/client'
import { type Range, useVerdict } from '../api/queries'
import IntervalBar from '../components/IntervalBar.vue'
import ProblemNote from '../components/ProblemNote.vue'
import { figure, signed } from '../figures'
import SetupMark from '../setups/SetupMark.vue'
import { useFrame } from './frame'

const { programme, setup, standard } = useFrame()
const range = ref<Range | null>(null)
const { data: verdict, error } = useVerdict(() => programme.value.id, standard, range)

// The ends stand in the fields once they are known, and are the reader's from then on.
const low = ref('')
const high = ref('')
watch(
  verdict,
  (found) => {
    if (!found) return
    low.value ||= String(found.low_rpm)
    high.value ||= String(found.high_rpm)
  },
  { immediate: true },
)
const fields = computed<Record<string, string>>(() =>
  error.value instanceof Problem ? error.value.fields : {},
)
const rangeError = computed(() => Boolean(fields.value.low || fields.value.high))
const chosen = ref('')

function choose() {
  const wanted = { low: Number(low.value), high: Number(high.value) }
  chosen.value = Number.isFinite(wanted.low) && Number.isFinite(wanted.high) ? '' : 'Type both ends as rpm.'
  if (!chosen.value) range.value = wanted
}

/** One scale for all bars: the widest interval fills it. */
const reach = computed(() =>
  Math.max(
    1e-9,
    ...(verdict.value?.placings ?? []).flatMap((placing) =>
      placing.to_baseline ? [Math.abs(placing.to_baseline.low), Math.abs(placing.to_baseline.high)] : [],
    ),
  ),
)
const baseline = computed(() => (verdict.value ? setup(verdict.value.baseline_id).letter : ''))
</script>

<template>
  <div class="verdict">
    <form class="range" @submit.prevent="choose">
      <v-text-field v-model="low" label="From" suffix="rpm" inputmode="numeric" :error="rangeError" />
      <v-text-field v-model="high" label="to" suffix="rpm" inputmode="numeric" :error="rangeError" />
      <v-btn type="submit" class="hand">Judge this range</v-btn>
      <span v-if="verdict" class="quiet"
        >all run from {{ verdict.run_low_rpm }} to {{ verdict.run_high_rpm }} rpm</span
      >
    </form>
    <p v-if="chosen" class="hand-note" role="alert">{{ chosen }}</p>
    <ProblemNote :error="error" />
    <template v-if="verdict && !error">
      <p class="sentence" data-test="sentence">{{ verdict.sentence }}</p>
      <table class="figures">
        <thead>
          <tr>
            <th class="words">Setup</th>
            <th>Pulls</th>
            <th>Average torque<br />{{ verdict.torque_unit }}</th>
            <th>Average power<br />{{ verdict.power_unit }}</th>
            <th>Torque to {{ baseline }}<br />{{ verdict.torque_unit }}, 95 %</th>
            <th>%</th>
            <th class="words"><span class="visually-hidden">Interval drawn</span></th>
            <th class="words">Standing</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="placing in verdict.placings" :key="placing.setup_id">
            <td class="words name">
              <SetupMark :position="setup(placing.setup_id).position" /> {{ setup(placing.setup_id).name }}
            </td>
            <td>{{ placing.pulls }}</td>
            <td>{{ figure(placing.torque) }}</td>
            <td>{{ figure(placing.power) }}</td>
            <template v-if="placing.to_baseline">
              <td>
                {{ signed(placing.to_baseline.value) }} ±
                {{ figure((placing.to_baseline.high - placing.to_baseline.low) / 2) }}
              </td>
              <td>{{ signed(placing.to_baseline.percent, 2) }}</td>
              <td class="words">
                <IntervalBar
                  v-bind="placing.to_baseline"
                  :position="setup(placing.setup_id).position"
                  :reach="reach"
                />
              </td>
            </template>
            <template v-else>
              <td>baseline</td>
              <td>–</td>
              <td class="words">
                <IntervalBar :position="setup(placing.setup_id).position" :reach="reach" />
              </td>
            </template>
            <td class="words">
              <template v-if="!placing.with_the_best">behind</template>
              <template v-else-if="verdict.placings.filter((other) => other.with_the_best).length > 1">
                <span class="washed">wash</span>
              </template>
              <strong v-else>best</strong>
              <span v-if="placing.to_baseline?.wash" class="quiet"> · a wash with {{ baseline }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <div class="below">
        <section>
          <h2>Along the speed range</h2>
          <p v-for="stretch in verdict.stretches" :key="stretch" class="text">{{ stretch }}</p>
        </section>
        <section>
          <h2>How far to trust it</h2>
          <p class="text">
            Two single pulls of one setup differ by up to {{ figure(verdict.repeatability_percent, 2) }} %
            from scatter alone ({{ verdict.degrees_of_freedom }} degrees of freedom). A difference under
            {{ figure(verdict.smallest_difference_percent) }} % does not matter here.
          </p>
          <p v-if="verdict.drift_percent !== null" class="text">
            {{ baseline }} came back {{ signed(verdict.drift_percent, 2) }} % from its first visit.
          </p>
          <p v-else class="text">
            <span class="hand-note">No return to {{ baseline }}: drift is not checked</span>
          </p>
          <p v-for="note in verdict.notes" :key="note" class="text">{{ note }}</p>
          <p class="text quiet method">{{ verdict.method }}</p>
        </section>
      </div>
    </template>
  </div>
</template>

<style scoped>
.verdict {
  padding: 18px;
  max-width: 1080px;
}
.range {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
}
.range .v-text-field {
  max-width: 130px;
}
.sentence {
  font-size: 22px;
  line-height: 1.4;
  margin: 22px 0;
  max-width: 880px;
}
.name {
  white-space: nowrap !important;
}
.name svg {
  vertical-align: middle;
  margin-right: 4px;
}
.washed {
  background: repeating-linear-gradient(135deg, transparent 0 4px, var(--line) 4px 5px);
  padding: 2px 8px;
}
.below {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 36px;
  margin-top: 30px;
}
.below p {
  margin: 0 0 8px;
}
.method {
  font-size: 14px !important;
}
@media (max-width: 800px) {
  .below {
    grid-template-columns: 1fr;
  }
}
</style>
