<script setup lang="ts">
/** What people predict of each setup before it is pulled, and what was measured. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { figure, signed } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { useUnsaved } from '../../ui/useUnsaved'
import GuidelinePredictions from './GuidelinePredictions.vue'

type Expectation = Schema['ExpectationOut']
type Tendency = Schema['TendencyOut']

const { programme, setup, day, mayOperate } = useFrame()
const queries = useQueryClient()
const { data: expected, error } = useQuery({
  queryKey: computed(() => ['expectations', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/outcomes', { params: { path: { programme_id } } })),
})
/** Those that can still be predicted: an arming locks. */
const others = computed(() =>
  programme.value.setups
    .filter((known) => !known.is_baseline && !day.value.pulls.some((pull) => pull.setup_id === known.id))
    .map((known) => ({ label: `${known.letter} ${known.name}`, value: known.id })),
)
const measures = computed(() =>
  Object.entries(expected.value?.measures ?? {}).map(([value, label]) => ({ value, label })),
)
const picked = ref<number | null>(null)
const chosen = computed({
  get: () => picked.value ?? others.value[0]?.value ?? 0,
  set: (id: number) => (picked.value = id),
})
const measure = ref('average_torque')
const text = useUnsaved(`prediction of ${programme.value.id}`, '')
const sentence = useUnsaved(`reason of a prediction of ${programme.value.id}`, '')
const wrong = ref<Record<string, string>>({})
const STANDING: Record<string, string> = {
  hit: 'hit',
  near: 'near',
  missed: 'missed',
  undecided: 'undecided',
}

function measured(row: Expectation): string {
  const found = row.measured
  return found ? `${signed(found.percent)} % (${signed(found.low)} to ${signed(found.high)})` : '–'
}

function standing(row: Expectation): string {
  return STANDING[row.outcome] ?? (row.why_not || (row.sealed ? 'locked' : 'open'))
}

function tendency(person: Tendency): string {
  const hits = person.decided
    ? `${person.hits} of ${person.decided} predictions hit`
    : 'no prediction decided yet'
  if (person.bias === null) return `${person.person}: ${hits}.`
  const spread = person.spread === null ? '' : `, scattering by ${figure(person.spread)}`
  const side = person.bias > 0 ? ' (too low)' : person.bias < 0 ? ' (too high)' : ''
  return `${person.person}: ${hits}; mean error of predictions ${signed(-person.bias)} points${side}${spread}, n = ${person.count}.`
}

/** Where a person is right, and where not. */
function kinds(person: Tendency): string {
  const lines = person.by_kind.map((one) => {
    const off = one.bias === null ? '' : `, ${signed(-one.bias)} points`
    return `${one.kind.toLowerCase()} ${one.hits} of ${one.decided}${off}`
  })
  return `By kind of part: ${lines.join('; ')}.`
}

async function refresh() {
  // A list still on its way was asked for before this: it would be shown as the answer.
  await queries.cancelQueries({ queryKey: ['expectations'] })
  await queries.invalidateQueries({ queryKey: ['expectations'] })
}

function refused(caught: unknown) {
  const fields = caught instanceof Problem ? caught.fields : {}
  wrong.value = Object.keys(fields).length ? fields : { text: (caught as Error).message }
}

async function expect() {
  try {
    answer(
      await api.POST('/api/programmes/{programme_id}/expectations', {
        params: { path: { programme_id: programme.value.id } },
        body: { setup_id: chosen.value, measure: measure.value, text: text.value, sentence: sentence.value },
      }),
    )
    text.value = sentence.value = ''
    wrong.value = {}
    await refresh()
  } catch (caught) {
    refused(caught)
  }
}

function startFrom(row: Schema['GuidelinePrediction']) {
  picked.value = row.setup_id
  measure.value = 'average_torque'
  text.value = row.text
  sentence.value = row.statement
}

/** Its words go back to the fields: taking back is how one corrects. */
async function takeBack(row: Expectation) {
  try {
    answer(
      await api.DELETE('/api/expectations/{expectation_id}', {
        params: { path: { expectation_id: row.id } },
      }),
    )
    picked.value = row.setup_id
    measure.value = row.measure
    text.value = row.expected
    sentence.value = row.sentence
    await refresh()
  } catch (caught) {
    refused(caught)
  }
}
</script>

<template>
  <section>
    <h2>Predicted for each setup, against the baseline</h2>
    <ProblemNote :error="error" />
    <v-table v-if="expected?.rows.length" class="figures" data-test="expectations">
      <thead>
        <tr>
          <th class="words">Setup</th>
          <th class="words">By</th>
          <th class="words">What</th>
          <th class="words">Predicted</th>
          <th>Measured, 95 %</th>
          <th class="words">Result</th>
          <th v-if="mayOperate"><span class="visually-hidden">Edit</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in expected.rows" :key="row.id">
          <td class="words"><SetupMark :position="setup(row.setup_id).position" :size="20" /></td>
          <td class="words">{{ row.by }}</td>
          <td class="words">
            {{ row.measure_label }}
            <div v-if="row.sentence" class="quiet reason prose size-15">{{ row.sentence }}</div>
          </td>
          <td class="words">{{ row.expected }}</td>
          <td>{{ measured(row) }}</td>
          <td class="words">{{ standing(row) }}</td>
          <td v-if="mayOperate">
            <v-btn
              v-if="row.mine && !row.sealed"
              :aria-label="`Edit ${row.expected} for ${setup(row.setup_id).letter}`"
              @click="takeBack(row)"
              >Edit</v-btn
            >
          </td>
        </tr>
      </tbody>
    </v-table>
    <p v-else-if="expected" class="text">
      No predictions yet. Write yours before the first pull: afterwards nobody remembers.
    </p>
    <p v-for="person in expected?.people" :key="person.person" class="quiet reason prose size-15">
      {{ tendency(person) }}
      <template v-if="person.by_kind.length > 1">{{ kinds(person) }}</template>
    </p>
    <p v-if="expected?.rows.some((row) => row.outcome === 'undecided')" class="quiet reason prose size-15">
      Undecided: the measured interval holds the prediction and a clear miss as well. More pulls would decide.
    </p>
    <GuidelinePredictions
      :open="others.map((one) => one.value)"
      :may-predict="mayOperate"
      @take="startFrom"
    />
    <v-form
      v-if="mayOperate && others.length"
      class="predict d-grid ga-2 align-start mt-4"
      @submit.prevent="expect"
    >
      <v-select v-model="chosen" label="Setup" :items="others" :error-messages="wrong.setup_id" />
      <v-select
        v-model="measure"
        label="Predicted figure"
        :items="measures"
        :error-messages="wrong.measure"
      />
      <v-text-field
        v-model="text"
        label="Predicted gain"
        placeholder="2 % above 5500, or soft below 4000"
        :error-messages="wrong.text"
      />
      <v-text-field v-model="sentence" label="Reason" :error-messages="wrong.sentence" />
      <v-btn type="submit">Save prediction</v-btn>
    </v-form>
    <p v-else-if="!others.length" class="quiet reason prose size-15">
      Every setup has been armed: predictions are locked.
    </p>
  </section>
</template>

<style scoped>
.predict {
  grid-template-columns: 1fr 1fr 1.3fr 1.3fr auto;
}
@media (max-width: 1000px) {
  .predict {
    grid-template-columns: 1fr;
  }
}
</style>
