<script setup lang="ts">
import { computed, ref, useTemplateRef, watch } from 'vue'

import SetupsChart from '../../ui/charts/SetupsChart.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import TabRow from '../../ui/TabRow.vue'
import CurvesTable from './CurvesTable.vue'
import SlotsPanel from './SlotsPanel.vue'
import StepsPanel from './StepsPanel.vue'
import { figure, signed } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { useChoice } from '../verdict/choice'
import { useCurves, useOverlays, useSteps, useVerdictChoices } from '../verdict/queries'
import { useFrame } from '../../app/frame'
import { undividedWords } from '../verdict/words'
import { choicesOf } from '../../ui/choices'

const { programme, setup, standard, lookAt } = useFrame()
const { choice, choose } = useChoice()
const observed = computed(() => standard.value === 'observed')
const reference = ref(0)
const asked = computed(() => ({
  standard: standard.value,
  school: choice.value.school,
  counting: choice.value.counting,
  reference: reference.value,
}))
const { data: curves, error } = useCurves(() => programme.value.id, asked)
const { data: choices } = useVerdictChoices()
/** Observed beside corrected, or the programme's standard beside observed. */
const both = ref(false)
const { data: other } = useCurves(
  () => programme.value.id,
  () => ({ ...asked.value, standard: observed.value ? programme.value.standard.id : 'observed' }),
  both,
)
const third = ref('')
const { data: overlays } = useOverlays(() => programme.value.id, choice, true)
const overlay = computed(() => overlays.value?.overlays.find(({ key }) => key === third.value) ?? null)
const { data: steps, error: stepsError } = useSteps(() => programme.value.id, choice)
const TABS = [
  { key: 'chart', label: 'Curves' },
  { key: 'table', label: 'Every 100 rpm' },
  { key: 'steps', label: 'Step by step' },
  { key: 'slots', label: 'Slot by slot' },
]
/** Setups that do not build on each other have no steps. */
const tabs = computed(() => TABS.filter(({ key }) => key !== 'steps' || steps.value?.stepwise))
const tab = ref('chart')

const cursor = ref(0)
const hidden = ref<Set<number>>(new Set())
const showPulls = ref(false)
const chart = useTemplateRef<{ step: (bins: number) => void }>('chart')

watch(
  curves,
  (found) => {
    if (found && !found.speed_rpm.includes(cursor.value)) {
      cursor.value = found.speed_rpm[Math.floor(found.speed_rpm.length / 2)] ?? 0
    }
  },
  { immediate: true },
)
const bin = computed(() => curves.value?.speed_rpm.indexOf(cursor.value) ?? -1)
const overlayNow = (id: number) => overlay.value?.setups[id]?.[bin.value]
const positionOf = (id: number) => setup(id).position

function toggle(id: number) {
  const next = new Set(hidden.value)
  if (!next.delete(id)) next.add(id)
  hidden.value = next
}
useKeys([
  { key: 'ArrowLeft', label: '←', does: 'Cursor 100 rpm down', press: () => chart.value?.step(-1) },
  { key: 'ArrowRight', label: '→', does: 'Cursor 100 rpm up', press: () => chart.value?.step(1) },
  { key: 'PageDown', label: 'Page down', does: 'Cursor 500 rpm down', press: () => chart.value?.step(-5) },
  { key: 'PageUp', label: 'Page up', does: 'Cursor 500 rpm up', press: () => chart.value?.step(5) },
  {
    key: 'p',
    label: 'P',
    does: 'Single pulls or means alone',
    press: () => (showPulls.value = !showPulls.value),
  },
  { key: 'b', label: 'B', does: 'Observed beside corrected', press: () => (both.value = !both.value) },
])
</script>

<template>
  <TabRow v-if="curves && !error" :tabs="tabs" :shown="tab" @show="tab = $event">
    <div class="rule">
      <span class="quiet">Represent each setup by</span>
      <v-select
        :model-value="curves.school"
        aria-label="Which pull stands for a setup"
        :items="choicesOf(choices?.schools)"
        @update:model-value="choose({ school: $event })"
      />
    </div>
  </TabRow>
  <div v-if="curves && !error && tab !== 'chart'" class="tables">
    <CurvesTable v-if="tab === 'table'" v-model:cursor="cursor" :curves="curves" />
    <template v-else>
      <ProblemNote :error="stepsError" />
      <StepsPanel v-if="steps && tab === 'steps'" :steps="steps" />
      <SlotsPanel v-else-if="steps" :steps="steps" />
    </template>
  </div>
  <div v-else class="curves">
    <template v-if="curves && !error">
      <section class="plot" aria-label="Curves of the setups">
        <SetupsChart
          ref="chart"
          v-model:cursor="cursor"
          :curves="curves"
          :position-of="positionOf"
          :hidden="hidden"
          :show-pulls="showPulls"
          :beside="both ? other : null"
          :overlay="overlay"
        />
      </section>
      <aside>
        <div class="sentence" data-test="sentences">
          <p v-for="sentence in curves.sentences" :key="sentence">{{ sentence }}</p>
          <p v-if="!curves.sentences.length">No lead can be called yet.</p>
          <p v-if="curves.unhealthy.length" class="quiet" data-test="unhealthy">
            Shaded:
            <template v-for="(one, at) in curves.unhealthy" :key="`${one.pull_id}-${one.low_rpm}`"
              ><template v-if="at">, </template
              ><router-link :to="{ name: 'pull', params: { pull: one.pull_id } }">{{
                one.words
              }}</router-link></template
            >. The verdict can be judged without these speeds.
          </p>
        </div>
        <div class="switches">
          <button type="button" :aria-pressed="!observed" @click="lookAt(programme.standard.id)">
            Corrected
          </button>
          <button type="button" :aria-pressed="observed" @click="lookAt('observed')">Observed</button>
          <button type="button" :aria-pressed="both" @click="both = !both">Both</button>
          <button type="button" class="apart" :aria-pressed="showPulls" @click="showPulls = !showPulls">
            Pulls
          </button>
        </div>
        <div class="choosing">
          <v-select
            v-model="third"
            label="Lower chart"
            data-test="third"
            :items="[
              { value: '', label: 'Difference' },
              ...(overlays?.overlays ?? []).map((one) => ({ value: one.key, label: one.name })),
            ]"
          />
          <v-select
            v-model="reference"
            label="Difference to"
            data-test="reference"
            :items="[
              { value: 0, label: 'the baseline' },
              ...curves.setups.map((row) => ({
                value: row.setup_id,
                label: `${setup(row.setup_id).letter} ${setup(row.setup_id).name}`,
              })),
            ]"
          />
        </div>
        <h2>At the cursor, {{ cursor }} rpm, {{ curves.standard_label }}</h2>
        <v-table class="figures" data-test="cursor-table">
          <thead>
            <tr>
              <th class="words"><span class="visually-hidden">Setup</span></th>
              <th>{{ curves.torque_unit }}</th>
              <th>{{ curves.power_unit }}</th>
              <th>{{ overlay ? overlay.unit : `to ${setup(curves.reference_id).letter}` }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in curves.setups" :key="row.setup_id" :class="{ off: hidden.has(row.setup_id) }">
              <td class="words">
                <button
                  type="button"
                  :aria-pressed="!hidden.has(row.setup_id)"
                  :aria-label="`Show ${setup(row.setup_id).letter} ${setup(row.setup_id).name}`"
                  :title="setup(row.setup_id).name"
                  @click="toggle(row.setup_id)"
                >
                  <SetupMark :position="setup(row.setup_id).position" />
                </button>
              </td>
              <td>{{ figure(row.torque[bin]) }}</td>
              <td>{{ figure(row.power[bin]) }}</td>
              <td v-if="overlay">{{ figure(overlayNow(row.setup_id), 2) }}</td>
              <td v-else>
                <template v-if="row.difference">
                  {{ signed(row.difference.value[bin]) }} ±
                  {{ figure((row.difference.high[bin]! - row.difference.low[bin]!) / 2) }}
                  <span class="state">{{ undividedWords(row.difference.state[bin]) }}</span>
                </template>
                <template v-else>{{ row.supported ? '–' : 'not comparable' }}</template>
              </td>
            </tr>
          </tbody>
        </v-table>
        <h2 class="next">Peaks of the mean curves</h2>
        <v-table class="figures peaks">
          <thead>
            <tr>
              <th class="words"><span class="visually-hidden">Setup</span></th>
              <th>{{ curves.torque_unit }}</th>
              <th>at rpm</th>
              <th>{{ curves.power_unit }}</th>
              <th>at rpm</th>
              <th v-if="curves.allowance">installed</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in curves.setups" :key="row.setup_id">
              <td class="words"><SetupMark :position="setup(row.setup_id).position" :size="18" /></td>
              <td>{{ figure(row.peak_torque.value) }}</td>
              <td>{{ row.peak_torque.speed_rpm }}</td>
              <td>{{ figure(row.peak_power.value) }}</td>
              <td>
                {{ row.peak_power.speed_rpm }}<template v-if="row.peak_power.still_climbing"> ↗</template
                ><sup v-if="row.runs_longer" title="Its pulls go on further than the others'"> *</sup>
              </td>
              <td v-if="curves.allowance">{{ figure(row.installed_peak_power) }}</td>
            </tr>
          </tbody>
        </v-table>
        <p v-if="curves.setups.some((row) => row.runs_longer)" class="quiet allowance">
          * Its pulls go on further than the others'. Peaks are those of the speeds that all were run at.
        </p>
        <p v-if="curves.allowance" class="quiet allowance" data-test="allowance">
          Installed: peak power less {{ figure(curves.allowance.power) }} {{ curves.power_unit }} allowed for
          {{ curves.allowance.items.join(', ') }}. The curves are as measured.
        </p>
        <ul v-if="curves.notes.length" class="notes">
          <li v-for="note in curves.notes" :key="note">{{ note }}</li>
        </ul>
      </aside>
    </template>
    <div v-else class="empty">
      <ProblemNote :error="error" />
      <p v-if="!error" class="text quiet">Fetching the curves…</p>
      <template v-else>
        <v-btn v-if="choice.counting" @click="choose({ counting: undefined })"
          >Compare the pulls that were kept</v-btn
        >
        <v-btn :to="{ name: 'stand' }">To the stand</v-btn>
      </template>
    </div>
  </div>
</template>

<style scoped>
.peaks :is(th, td) {
  padding-left: 4px;
  padding-right: 4px;
}
.allowance {
  font-family: var(--text);
  font-size: 14px;
  line-height: 1.35;
  margin: 6px 0 0;
}
.curves {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 306px;
  gap: 0 18px;
  padding: 10px 18px 14px;
}
.tables {
  padding: 12px 18px 24px;
}
.rule {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-left: auto;
}
.choosing {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  margin-bottom: 12px;
}
.choosing label {
  display: grid;
  gap: 2px;
  color: var(--quiet);
}
.plot {
  height: calc(100vh - 148px);
  min-height: 540px;
}
.sentence {
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 10px 14px;
  font-family: var(--text);
  font-size: 15px;
  line-height: 1.4;
  margin-bottom: 12px;
}
.sentence p {
  margin: 0 0 3px;
}
.switches {
  display: flex;
  margin-bottom: 14px;
}
.switches button {
  border: 1px solid var(--quiet);
  padding: 4px 10px;
}
.switches button + button {
  border-left: 0;
}
.switches .apart {
  margin-left: auto;
  border-left: 1px solid var(--quiet);
}
.switches button[aria-pressed='true'] {
  background: var(--ink);
  color: var(--panel);
}
td.words button {
  line-height: 0;
}
.off td:not(.words) {
  opacity: 0.35;
}
.off td.words svg {
  opacity: 0.35;
}
.state {
  color: var(--quiet);
  font-size: 11px;
}
.next {
  margin-top: 16px;
}
.notes {
  font-family: var(--text);
  font-size: 14px;
  color: var(--quiet);
  padding-left: 16px;
  margin-top: 14px;
}
.empty {
  max-width: 520px;
  margin-top: 12vh;
  grid-column: 1 / -1;
  justify-self: center;
  display: grid;
  gap: 12px;
  justify-items: start;
}
@media (max-width: 1000px) {
  .curves {
    grid-template-columns: 1fr;
  }
}
</style>
