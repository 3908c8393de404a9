<script setup lang="ts">
/** What the engine is for: a usual duty, one drawn by dragging, or the gears it is rowed through; range, rule, measure. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, onScopeDispose, ref, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../api/client'
import { figure } from '../figures'
import { useFrame } from '../pages/frame'
import { drawable } from '../plan/draft'
import DutyCurve from '../plan/DutyCurve.vue'
import SetupMark from '../setups/SetupMark.vue'
import { pointsText, useChoice } from './choice'
import { type Choice, useVerdictChoices, verdictQuery } from './queries'

const props = defineProps<{ verdict: Schema['Verdict']; problem: Problem | null }>()
const { programme, setup } = useFrame()
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
function chooseDuty(event: Event) {
  const duty = (event.target as HTMLSelectElement).value
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
    drawn.value = null
    choose({ duty: 'drawn', points: pointsText(found.points) })
  } catch (caught) {
    gearsSlip.value = caught instanceof Problem ? caught.message : String(caught)
  }
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
    <label>
      <span>Duty</span>
      <select
        :value="verdict.duty"
        data-test="duty"
        @focus="ahead.duties"
        @pointerenter="ahead.duties"
        @change="chooseDuty"
      >
        <option v-for="use in verdict.uses" :key="use.preset" :value="use.preset">{{ use.label }}</option>
        <option value="drawn">As drawn</option>
      </select>
    </label>
    <DutyCurve
      :points="shownPoints"
      :low="verdict.run_low_rpm"
      :high="verdict.run_high_rpm"
      :editable="verdict.duty === 'drawn'"
      @change="draw"
    />
    <p v-if="verdict.duty === 'drawn'" class="quiet told">
      Drag the points, or move them with the arrow keys.
    </p>
    <form class="range" @submit.prevent="chooseRange">
      <label
        ><span>From</span
        ><input
          v-model="low"
          inputmode="numeric"
          aria-label="From, rpm"
          :aria-invalid="Boolean(problem?.fields.low)"
      /></label>
      <label
        ><span>to</span
        ><input
          v-model="high"
          inputmode="numeric"
          aria-label="To, rpm"
          :aria-invalid="Boolean(problem?.fields.high)"
      /></label>
      <v-btn type="submit" size="small">Judge this range</v-btn>
    </form>
    <p class="quiet told">
      All were run from {{ figure(verdict.run_low_rpm, 0) }} to {{ figure(verdict.run_high_rpm, 0) }} rpm.
    </p>
    <p v-if="slip" class="hand-note" role="alert">{{ slip }}</p>
    <div class="rules">
      <label>
        <span>Stands for a setup</span>
        <select
          :value="verdict.school"
          data-test="school"
          @focus="ahead.schools"
          @pointerenter="ahead.schools"
          @change="choose({ school: ($event.target as HTMLSelectElement).value })"
        >
          <option v-for="(label, key) in choices?.schools" :key="key" :value="key">{{ label }}</option>
        </select>
      </label>
      <label>
        <span>Compared</span>
        <select
          :value="verdict.counting"
          data-test="counting"
          @change="choose({ counting: ($event.target as HTMLSelectElement).value })"
        >
          <option v-for="(label, key) in choices?.countings" :key="key" :value="key">{{ label }}</option>
        </select>
      </label>
      <label>
        <span>Ranked by</span>
        <select
          :value="verdict.measure"
          data-test="measure"
          @focus="ahead.measures"
          @pointerenter="ahead.measures"
          @change="choose({ measure: ($event.target as HTMLSelectElement).value })"
        >
          <option v-for="(label, key) in choices?.measures" :key="key" :value="key">{{ label }}</option>
        </select>
      </label>
    </div>
    <details>
      <summary>Account for temperatures</summary>
      <label v-for="(name, key) in verdict.readings" :key="key" class="tick">
        <input type="checkbox" :checked="accounted.includes(key)" @change="account(key)" /> {{ name }}
      </label>
      <p class="quiet told">Only where enough pulls remain to tell it from scatter.</p>
    </details>
    <details :open="gearsOpen" @toggle="gearsOpen = ($event.target as HTMLDetailsElement).open">
      <summary>Duty from the gears</summary>
      <form class="gears" @submit.prevent="rowThroughGears">
        <label
          ><span>Ratios, first to last</span><input v-model="ratios" placeholder="2.8 1.9 1.4 1.1"
        /></label>
        <div class="pair">
          <label><span>Shift at, rpm</span><input v-model="shift" inputmode="numeric" /></label>
          <label><span>Launch at, rpm</span><input v-model="launch" inputmode="numeric" /></label>
        </div>
        <v-btn type="submit" size="small">Use it</v-btn>
        <p v-if="gearsSlip" class="hand-note" role="alert">{{ gearsSlip }}</p>
      </form>
    </details>
    <v-btn v-if="changed" size="small" variant="text" @click="forgetAll">Back to the programme's own</v-btn>
    <v-checkbox
      v-if="verdict.unhealthy"
      :model-value="verdict.healthy_only"
      label="Without the speeds at which a pull stumbled, misfired or knocked, for all setups"
      density="compact"
      hide-details
      @update:model-value="choose({ healthy_only: verdict.healthy_only ? undefined : 'true' })"
    />
    <h2 class="next">Best for each use</h2>
    <table class="figures uses" data-test="uses" @pointerenter="ahead.duties">
      <tbody>
        <tr v-for="use in verdict.uses" :key="use.preset" :class="{ now: use.preset === verdict.duty }">
          <td class="words">
            <button type="button" @click="choose({ duty: use.preset, points: undefined })">
              {{ use.label }}
            </button>
          </td>
          <td>
            <SetupMark v-for="id in use.level_ids" :key="id" :position="setup(id).position" :size="17" />
            <span v-if="use.setup_id === null && use.level_ids.length > 1" class="quiet"> together</span>
          </td>
        </tr>
      </tbody>
    </table>
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
label select,
label input:not([type]) {
  width: 100%;
}
.range,
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  align-items: end;
}
.rules {
  display: grid;
  gap: 8px;
}
.range {
  grid-template-columns: 1fr 1fr auto;
}
.told {
  font-family: var(--text);
  font-size: 14px;
  line-height: 1.3;
  margin: 0;
}
.tick {
  display: flex;
  gap: 8px;
  align-items: center;
  color: var(--ink);
  margin-top: 6px;
}
summary {
  cursor: pointer;
  color: var(--quiet);
}
.gears {
  display: grid;
  gap: 8px;
  margin-top: 8px;
}
.next {
  margin-top: 8px;
}
.uses td {
  padding: 4px 6px;
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
