<script setup lang="ts">
/** The mean curves of the setups over engine speed, with their differences; as chart, table, and step by step. */
import { computed, useTemplateRef, watch } from 'vue'
import { useRoute } from 'vue-router'

import { useFrame } from '../../app/frame'
import { useKeys } from '../../app/keys'
import { useAddressParts, useAddressTab } from '../../app/useAddress'
import SetupsChart from '../../ui/charts/SetupsChart.vue'
import { choicesOf } from '../../ui/choices'
import ProblemNote from '../../ui/ProblemNote.vue'
import TabPages from '../../ui/TabPages.vue'
import { useChoice } from '../verdict/choice'
import { useCurves, useOverlays, useSteps, useVerdictChoices } from '../verdict/queries'
import CursorTable from './CursorTable.vue'
import CurvesTable from './CurvesTable.vue'
import PeaksTable from './PeaksTable.vue'
import SlotsPanel from './SlotsPanel.vue'
import StepsPanel from './StepsPanel.vue'
import { useCurvesView } from './useCurvesView'

const { programme, setup, standard } = useFrame()
const route = useRoute()
const { choice, choose } = useChoice()
const { reference, hidden, cursor, overlayKey, showPulls, both, toggle } = useCurvesView()
const observed = computed(() => standard.value === 'observed')
const asked = computed(() => ({
  standard: standard.value,
  school: choice.value.school,
  counting: choice.value.counting,
  reference: reference.value,
}))
const { data: curves, error } = useCurves(() => programme.value.id, asked)
const { data: choices } = useVerdictChoices()
const { data: other } = useCurves(
  () => programme.value.id,
  () => ({ ...asked.value, standard: observed.value ? programme.value.standard.id : 'observed' }),
  both,
)
/** The curves in sight, as many as leave room for others. */
const ofOtherTests = computed(() =>
  (curves.value?.setups ?? [])
    .map((one) => one.setup_id)
    .filter((id) => !hidden.value.has(id))
    .slice(0, 6)
    .map((id) => `s${id}`)
    .join(','),
)
const { data: overlays } = useOverlays(() => programme.value.id, choice, true)
const overlay = computed(() => overlays.value?.overlays.find(({ key }) => key === overlayKey.value) ?? null)
const { data: steps, error: stepsError } = useSteps(() => programme.value.id, choice)
const TABS = [
  { key: 'chart', label: 'Curves' },
  { key: 'table', label: 'Every 100 rpm' },
  { key: 'steps', label: 'Step by step' },
  { key: 'slots', label: 'Slot by slot' },
]
/** Setups that do not build on each other have no steps. */
const tabs = computed(() => TABS.filter(({ key }) => key !== 'steps' || steps.value?.stepwise))
const tab = useAddressTab(() => tabs.value.map(({ key }) => key))
const change = useAddressParts()
/** Corrected, observed, or both at once. */
const sides = computed({
  get: () => (both.value ? 'both' : observed.value ? 'observed' : 'corrected'),
  set: (side: string) => {
    if (side === 'both') both.value = true
    else if (side !== sides.value) change({ both: undefined, standard: standardOf(side) })
  },
})
/** Corrected is by the standard that is looked at; where that is none, by the test's own. */
function standardOf(side: string): string | undefined {
  if (side === 'observed') return 'observed'
  return observed.value ? undefined : (route.query.standard as string | undefined)
}
const lowerCharts = computed(() => [
  { value: '', label: 'Difference' },
  ...(overlays.value?.overlays ?? []).map((one) => ({ value: one.key, label: one.name })),
])
const references = computed(() => [
  { value: 0, label: 'the baseline' },
  ...(curves.value?.setups ?? []).map(({ setup_id }) => ({
    value: setup_id,
    label: `${setup(setup_id).letter} ${setup(setup_id).name}`,
  })),
])
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
const positionOf = (id: number) => setup(id).position

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
  <TabPages v-if="curves && !error" v-model="tab" :tabs="tabs">
    <template #beside>
      <v-select
        class="ml-auto labels-beside represented"
        label="Represent each setup by"
        :model-value="curves.school"
        :items="choicesOf(choices?.schools)"
        @update:model-value="choose({ school: $event })"
      />
    </template>
    <template #chart>
      <div class="page split aside-300">
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
          <div class="on-panel border py-2 px-3 prose size-15 line-text mb-3" data-test="sentences">
            <p v-for="sentence in curves.sentences" :key="sentence" class="mb-1">{{ sentence }}</p>
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
          <div class="d-flex flex-wrap ga-2 mb-1">
            <v-btn-toggle v-model="sides" aria-label="What is drawn">
              <v-btn value="corrected" :aria-pressed="sides === 'corrected'">Corrected</v-btn>
              <v-btn value="observed" :aria-pressed="sides === 'observed'">Observed</v-btn>
              <v-btn value="both" :aria-pressed="sides === 'both'">Both</v-btn>
            </v-btn-toggle>
            <v-btn
              class="ml-auto"
              :active="showPulls"
              :aria-pressed="showPulls"
              @click="showPulls = !showPulls"
            >
              Pulls
            </v-btn>
          </div>
          <div class="d-grid columns-2 ga-2 mb-3">
            <v-select v-model="overlayKey" label="Lower chart" data-test="third" :items="lowerCharts" />
            <v-autocomplete
              v-model="reference"
              label="Difference to"
              data-test="reference"
              :items="references"
            />
          </div>
          <h2>At the cursor, {{ cursor }} rpm, {{ curves.standard_label }}</h2>
          <CursorTable :curves="curves" :bin="bin" :hidden="hidden" :overlay="overlay" @toggle="toggle" />
          <h2 class="mt-4">Peaks of the mean curves</h2>
          <PeaksTable :curves="curves" />
          <v-btn :to="{ name: 'overlay', query: { items: ofOtherTests, standard } }" class="mt-2"
            >Overlay with other tests</v-btn
          >
          <ul v-if="curves.notes.length" class="prose size-15 quiet pl-4 mt-3">
            <li v-for="note in curves.notes" :key="note">{{ note }}</li>
          </ul>
        </aside>
      </div>
    </template>
    <template #table><CurvesTable v-model:cursor="cursor" class="page" :curves="curves" /></template>
    <template #steps>
      <ProblemNote :error="stepsError" />
      <StepsPanel v-if="steps" class="page" :steps="steps" />
    </template>
    <template #slots>
      <ProblemNote :error="stepsError" />
      <SlotsPanel v-if="steps" class="page" :steps="steps" />
    </template>
  </TabPages>
  <div v-else class="page most-680">
    <v-skeleton-loader v-if="!error" type="heading, image, paragraph" />
    <ProblemNote v-else :error="error">
      <v-btn v-if="choice.counting" @click="choose({ counting: undefined })">
        Compare the accepted pulls
      </v-btn>
      <v-btn :to="{ name: 'stand' }">Go to the dyno</v-btn>
    </ProblemNote>
  </div>
</template>

<style scoped>
.represented {
  --label: 170px;
  max-width: 420px;
}
.plot {
  height: calc(100vh - 168px);
  min-height: 540px;
}
</style>
