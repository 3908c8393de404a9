<script setup lang="ts">
/** Every setup in the car: standing start, on the roll, a grade, where to shift; and the duty that such a run is. */
import { computed, shallowRef, watch } from 'vue'

import { Problem, type Schema } from '../../../app/api/client'
import { useFrame } from '../../../app/frame'
import { figure } from '../../../ui/figures'
import ProblemNote from '../../../ui/ProblemNote.vue'
import SetupMark from '../../../ui/setups/SetupMark.vue'
import { useChoice } from '../choice'
import { undividedWords } from '../words'
import CarForm from './CarForm.vue'
import { useRoad, useTried } from './useRoad'

const { programme, setup } = useFrame()
const { choice, choose } = useChoice()
const { tried, tryOut } = useTried()
const { data, error, isFetching } = useRoad(() => programme.value.id, choice, tried)
/** What was refused leaves the last run standing, and the fields beside it. */
const road = shallowRef(data.value)
watch(data, (found) => found && (road.value = found), { immediate: true })
const fields = computed(() => (error.value instanceof Problem ? error.value.fields : {}))
const sentences = computed(() =>
  [...(road.value?.measures ?? [])]
    .reverse()
    .map((one) => one.sentence)
    .filter(Boolean),
)
const rows = computed(() =>
  (road.value?.setups ?? []).map((one, place) => ({
    ...one,
    times: road.value!.measures.map((measure) => measure.times[place]!),
  })),
)
const speedOf = (row: Schema['RoadSetupOut'], key: string) =>
  key === 'eighth' ? row.eighth_speed : key === 'quarter' ? row.quarter_speed : null
const gearPairs = computed(() => (road.value?.setups[0]?.shifts ?? []).map((_, at) => `${at + 1}–${at + 2}`))
const seconds = (value: number | null) => (value === null ? '–' : value.toFixed(2))
function gapWords(gap: Schema['TimeGapOut'] | null): string {
  if (!gap) return ''
  const digits = Math.abs(gap.seconds) < 0.1 ? 3 : 2
  const signed = (value: number) => `${value < 0 ? '−' : '+'}${Math.abs(value).toFixed(digits)}`
  return `${signed(gap.seconds)} (${signed(gap.low)} to ${signed(gap.high)})`
}
</script>

<template>
  <section data-test="road" class="pt-3" :aria-busy="isFetching">
    <ProblemNote :error="error" />
    <template v-if="road">
      <p v-for="sentence in sentences" :key="sentence" class="text my-1">{{ sentence }}</p>
      <div class="overflow-x-auto">
        <v-table class="figures close mt-2" data-test="road-times">
          <caption class="text-left quiet">
            Standing start, s and
            {{
              road.speed_unit
            }}; beneath each time the difference to the baseline with its 95 % interval
          </caption>
          <thead>
            <tr>
              <th class="words">Setup</th>
              <th v-for="measure in road.measures" :key="measure.key">{{ measure.label }}</th>
              <th v-if="rows.some((row) => row.grade_percent !== null)">Grade held, %</th>
              <th class="words">Duty</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in rows" :key="row.setup_id">
              <td class="words">
                <SetupMark :position="setup(row.setup_id).position" :size="18" />
                {{ setup(row.setup_id).name }}
                <span v-if="row.ruled_out" class="quiet small">ruled out</span>
                <div v-if="row.problem" class="small message prose">{{ row.problem }}</div>
              </td>
              <td v-for="(time, at) in row.times" :key="road.measures[at]!.key">
                {{ seconds(time.seconds) }}
                <span v-if="speedOf(row, road.measures[at]!.key) !== null" class="quiet small">
                  {{ figure(speedOf(row, road.measures[at]!.key), 1) }}
                </span>
                <div v-if="time.gap" class="small">
                  {{ gapWords(time.gap) }}
                  <span class="quiet">{{ undividedWords(time.gap.state) }}</span>
                </div>
              </td>
              <td v-if="row.grade_percent !== null">{{ figure(row.grade_percent, 1) }}</td>
              <td class="words">
                <v-link
                  v-if="row.duty"
                  :aria-label="`Judge by the time at each speed of the run of ${setup(row.setup_id).letter}`"
                  @click="choose({ duty: 'drawn', points: row.duty })"
                  >Judge by this run</v-link
                >
                <span v-else>–</span>
              </td>
            </tr>
          </tbody>
        </v-table>
        <v-table v-if="gearPairs.length" class="figures close mt-4" data-test="shifts">
          <caption class="text-left quiet">
            Where to shift: within 0.01 s over each range
          </caption>
          <thead>
            <tr>
              <th class="words">Setup</th>
              <th v-for="pair in gearPairs" :key="pair" class="words">{{ pair }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in rows" :key="row.setup_id">
              <td class="words">
                <SetupMark :position="setup(row.setup_id).position" :size="18" />
              </td>
              <td v-for="(shift, at) in row.shifts" :key="at" class="words">{{ shift }}</td>
            </tr>
          </tbody>
        </v-table>
      </div>
      <p class="text quiet size-15">
        “Judge by this run” weighs each speed by the time that the run stays there: it assumes this car, this
        strip and these shifts.
      </p>
      <p v-for="note in road.notes" :key="note" class="text quiet">{{ note }}</p>
      <p class="text quiet size-15" data-test="conventions">{{ road.conventions.join('; ') }}.</p>
    </template>
    <CarForm :road="road" :tried="tried" :wrong="fields" @try-out="tryOut" />
  </section>
</template>
