<script setup lang="ts">
/** What the engine is for: a usual duty, one drawn by dragging, or the gears it is rowed through; range, rule, measure. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, onScopeDispose, ref, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { figure } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import { drawable } from '../plan/draft'
import DutyCurve from '../plan/DutyCurve.vue'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { pointsText, useChoice } from './choice'
import { type Choice, useVerdictChoices, verdictQuery } from './queries'
import { choicesOf } from '../../ui/choices'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import LapLogForm from './road/LapLogForm.vue'

const props = defineProps<{ verdict: Schema['Verdict']; problem: Problem | null }>()
const { programme, setup, choosingStandard } = useFrame()
const queries = useQueryClient()
const { choice, choose, forget, changed } = useChoice()
const { data: choices } = useVerdictChoices()

/** Who opens a list chooses from it in a moment: what it offers is judged meanwhile. */
const SOON_MS = 20_000
function judgeAhead(offered: Partial<Choice>[]) {
  for (const part of offered)
    void queries.prefetchQuery({
      ...verdictQuery(programme.value.id, { ...choice.value, ...part }),
      staleTime: SOON_MS,
    })
}
const ahead = {
  duties: () => judgeAhead(props.verdict.uses.map(({ preset }) => ({ duty: preset, points: '' }))),
  schools: () => judgeAhead(Object.keys(choices.value?.schools ?? {}).map((school) => ({ school }))),
  measures: () => judgeAhead(Object.keys(choices.value?.measures ?? {}).map((measure) => ({ measure }))),
}

watch(choosingStandard, (open) => {
  if (open) judgeAhead(programme.value.standards.map(({ id }) => ({ standard: id })))
})

// While a point is dragged the curve follows the hand; the verdict follows a moment later.
const drawn = ref<number[][] | null>(null)
const shownPoints = computed(() => drawn.value ?? props.verdict.duty_points)
let later = 0
function draw(points: number[][]) {
  drawn.value = points
  window.clearTimeout(later)
  later = window.setTimeout(() => choose({ duty: 'drawn', points: pointsText(points) }), 120)
}
onScopeDispose(() => window.clearTimeout(later))
watch(
  () => props.verdict,
  (found) => {
    if (found.duty !== 'drawn') drawn.value = null
  },
)
function chooseDuty(duty: string) {
  drawn.value = null
  if (duty !== 'drawn') return choose({ duty, points: undefined })
  const points = drawable(props.verdict.duty_points, props.verdict.low_rpm, props.verdict.high_rpm)
  choose({ duty, points: pointsText(points) })
}

// What is typed stays until the verdict is of it: an answer still on its way to an earlier range takes nothing away.
const typed = ref<{ low?: string; high?: string }>({})
const low = computed({
  get: () => typed.value.low ?? String(props.verdict.low_rpm),
  set: (text) => (typed.value.low = text),
})
const high = computed({
  get: () => typed.value.high ?? String(props.verdict.high_rpm),
  set: (text) => (typed.value.high = text),
})
watch(
  () => props.verdict,
  ({ low_rpm, high_rpm }) => {
    if (Number(low.value) === low_rpm && Number(high.value) === high_rpm) typed.value = {}
  },
)
const slip = ref('')
function chooseRange() {
  const ends = { low: Number(low.value), high: Number(high.value) }
  slip.value = Number.isFinite(ends.low) && Number.isFinite(ends.high) ? '' : 'Type both ends as rpm.'
  if (!slip.value) choose(ends)
}
/** The fields follow the thumbs; it is judged when they are let go, or by the button after the arrow keys. */
function slideRange([from, to]: [number, number]) {
  typed.value = { low: String(from), high: String(to) }
}
function forgetAll() {
  typed.value = {}
  forget()
}

const gearsOpen = ref(false)
const ratios = ref('')
const shift = ref('')
const launch = ref('')
const gearsSlip = ref('')
async function rowThroughGears() {
  const numbers = ratios.value
    .split(/[\s;/]+/)
    .filter(Boolean)
    .map(Number)
  try {
    const found = answer(
      await api.POST('/api/duty-of-gears', {
        body: { ratios: numbers, shift_rpm: Number(shift.value), launch_rpm: Number(launch.value) },
      }),
    )
    gearsSlip.value = ''
    drawFrom(found.points)
  } catch (caught) {
    gearsSlip.value = caught instanceof Problem ? caught.message : String(caught)
  }
}
function drawFrom(points: number[][]) {
  drawn.value = null
  choose({ duty: 'drawn', points: pointsText(points) })
}
const accounted = computed(() => choice.value.account_for.split(',').filter(Boolean))
function account(key: string) {
  const next = accounted.value.includes(key)
    ? accounted.value.filter((one) => one !== key)
    : [...accounted.value, key]
  choose({ account_for: next.join(',') })
}
</script>

<template>
  <aside class="duty" aria-label="What is judged">
    <v-select
      label="Duty"
      :model-value="verdict.duty"
      data-test="duty"
      :items="[
        ...verdict.uses.map((use) => ({ value: use.preset, label: use.label })),
        { value: 'drawn', label: 'As drawn' },
      ]"
      @focus="ahead.duties"
      @pointerenter="ahead.duties"
      @update:model-value="chooseDuty"
    />
    <DutyCurve
      :points="shownPoints"
      :low="verdict.run_low_rpm"
      :high="verdict.run_high_rpm"
      :editable="verdict.duty === 'drawn'"
      @change="draw"
    />
    <p v-if="verdict.duty === 'drawn'" class="quiet prose size-15 ma-0">
      Drag the points, or move them with the arrow keys.
    </p>
    <v-range-slider
      :model-value="[Number(low) || verdict.run_low_rpm, Number(high) || verdict.run_high_rpm]"
      :min="verdict.run_low_rpm"
      :max="verdict.run_high_rpm"
      :step="100"
      strict
      hide-details
      color="primary"
      aria-label="Range to judge, rpm"
      data-test="range-slider"
      @update:model-value="slideRange"
      @end="chooseRange"
    />
    <v-form class="range d-grid columns-2 ga-2 align-end" @submit.prevent="chooseRange">
      <v-text-field
        v-model="low"
        label="From, rpm"
        inputmode="numeric"
        :error="Boolean(problem?.fields.low)"
      />
      <v-text-field
        v-model="high"
        label="To, rpm"
        inputmode="numeric"
        :error="Boolean(problem?.fields.high)"
      />
      <v-btn type="submit">Apply range</v-btn>
    </v-form>
    <p class="quiet prose size-15 ma-0">
      All were run from {{ figure(verdict.run_low_rpm, 0) }} to {{ figure(verdict.run_high_rpm, 0) }} rpm.
    </p>
    <p v-if="slip" class="hand-note" role="alert">{{ slip }}</p>
    <div class="d-grid ga-2">
      <v-select
        label="Represent each setup by"
        :model-value="verdict.school"
        data-test="school"
        :items="choicesOf(choices?.schools)"
        @focus="ahead.schools"
        @pointerenter="ahead.schools"
        @update:model-value="choose({ school: $event })"
      />
      <v-select
        label="Compared"
        :model-value="verdict.counting"
        data-test="counting"
        :items="choicesOf(choices?.countings)"
        @update:model-value="choose({ counting: $event })"
      />
      <v-select
        label="Ranked by"
        :model-value="verdict.measure"
        data-test="measure"
        :items="choicesOf(choices?.measures)"
        @focus="ahead.measures"
        @pointerenter="ahead.measures"
        @update:model-value="choose({ measure: $event })"
      />
    </div>
    <DisclosurePanel title="Account for temperatures">
      <v-checkbox
        v-for="(name, key) in verdict.readings"
        :key="key"
        :model-value="accounted.includes(key)"
        :label="name"
        @update:model-value="account(key)"
      />
      <p class="quiet prose size-15 ma-0">Only where enough pulls remain to tell it from scatter.</p>
    </DisclosurePanel>
    <DisclosurePanel v-model:open="gearsOpen" title="Duty from the gears">
      <v-form class="d-grid ga-2 mt-2" @submit.prevent="rowThroughGears">
        <v-text-field v-model="ratios" label="Ratios, first to last" placeholder="2.8 1.9 1.4 1.1" />
        <div class="pair d-grid columns-2 ga-2 align-end">
          <v-text-field v-model="shift" label="Shift at, rpm" inputmode="numeric" />
          <v-text-field v-model="launch" label="Launch at, rpm" inputmode="numeric" />
        </div>
        <v-btn type="submit">Apply</v-btn>
        <p v-if="gearsSlip" class="hand-note" role="alert">{{ gearsSlip }}</p>
      </v-form>
    </DisclosurePanel>
    <DisclosurePanel title="Duty from a log of the car">
      <LapLogForm @duty="drawFrom" />
    </DisclosurePanel>
    <v-btn v-if="changed" variant="text" @click="forgetAll">Back to the test's own</v-btn>
    <v-checkbox
      v-if="verdict.unhealthy"
      :model-value="verdict.healthy_only"
      label="Without the speeds at which a pull stumbled, misfired or knocked, for all setups"
      density="compact"
      hide-details
      @update:model-value="choose({ healthy_only: verdict.healthy_only ? undefined : 'true' })"
    />
    <h2 class="mt-2">{{ verdict.is_grid ? 'Usual duties' : 'Best for each use' }}</h2>
    <v-table class="figures uses" data-test="uses" @pointerenter="ahead.duties">
      <tbody>
        <tr v-for="use in verdict.uses" :key="use.preset" :class="{ now: use.preset === verdict.duty }">
          <td class="words">
            <v-link @click="choose({ duty: use.preset, points: undefined })">
              {{ use.label }}
            </v-link>
          </td>
          <td v-if="!verdict.is_grid">
            <SetupMark v-for="id in use.level_ids" :key="id" :position="setup(id).position" :size="17" />
            <span v-if="use.setup_id === null && use.level_ids.length > 1" class="quiet"> together</span>
          </td>
        </tr>
      </tbody>
    </v-table>
  </aside>
</template>

<style scoped>
.duty {
  display: grid;
  gap: 9px;
  align-content: start;
}
label {
  display: grid;
  gap: 3px;
  color: var(--quiet);
}
label input:not([type]) {
  width: 100%;
}
.range {
  grid-template-columns: 1fr 1fr auto;
}
.tick {
  display: flex;
  gap: 8px;
  align-items: center;
  color: var(--ink);
  margin-top: 6px;
}
.uses .now {
  font-weight: 700;
  box-shadow: inset 3px 0 0 var(--ink);
}
.uses svg {
  vertical-align: middle;
  margin-left: 3px;
}
</style>
