<script setup lang="ts">
/** One pull in full, beside another: raw and reduced, cuts, air, checks, oddities, where it comes from. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { answer, api, type Schema } from '../../app/api/client'
import { refresh, useAction, usePullLog } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { clock, figure } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import BinsTable from './BinsTable.vue'
import HeldAgainst from './HeldAgainst.vue'
import InertiaPanel from './InertiaPanel.vue'
import PullCurves, { type Shown } from './PullCurves.vue'
import PullTune from './PullTune.vue'
import TraceChart from './TraceChart.vue'
import { useComparison, useInspection, useRaw } from './useInspection'
import { useMixtureAdvice } from './useMixtureAdvice'
import { type Ground, markOf } from '../../ui/setups/marks'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { useFrame } from '../../app/frame'
import TermTip from '../../ui/TermTip.vue'

const { programme, setup, standard, mayOperate } = useFrame()
const route = useRoute()
const router = useRouter()
const theme = useTheme()
const queries = useQueryClient()

const pull = computed(() => Number(route.params.pull))
const beside = computed(() => (route.query.with ? Number(route.query.with) : null))
const { data: log } = usePullLog(() => programme.value.id, standard)
const { data: shown, error } = useInspection(pull, standard)
const { data: other } = useInspection(beside, standard)
const { data: advice } = useMixtureAdvice(pull)
const { data: raw } = useRaw(() =>
  shown.value?.has_samples && shown.value.pull_id === pull.value ? pull.value : null,
)
const { data: comparison } = useComparison(() => programme.value.id, beside, pull)

const below = ref('')
const choices = computed(() => {
  const known = new Map<string, string>()
  for (const one of [...(shown.value?.derived ?? []), ...(shown.value?.channels ?? [])]) {
    if (one.key !== 'power' && !known.has(one.key)) known.set(one.key, one.name)
  }
  return [...known]
})
watch(choices, (known) => {
  if (!known.some(([key]) => key === below.value))
    below.value = known.find(([key]) => key === 'lambda')?.[0] ?? known[0]?.[0] ?? ''
})
const rows = computed(() => log.value?.rows ?? [])
const place = computed(() => rows.value.findIndex((row) => row.id === pull.value))
const colourOf = (setupId: number) =>
  markOf(setup(setupId).position, theme.global.name.value as Ground).colour
function shownOf(inspection: Schema['InspectionOut'] | undefined, paler = false): Shown | null {
  if (!inspection?.speed_rpm.length) return null
  const same = paler && inspection.setup_id === shown.value?.setup_id
  return {
    inspection,
    colour: same ? '#8a8172' : colourOf(inspection.setup_id),
    label: `Pull ${inspection.number}`,
  }
}
const first = computed(() => shownOf(shown.value))
const second = computed(() => (beside.value ? shownOf(other.value, true) : null))

const reduce = useAction(async (body: Schema['ReduceIn']) =>
  answer(
    await api.PUT('/api/pulls/{pull_id}/reduction', {
      params: { path: { pull_id: pull.value }, query: { standard: standard.value } },
      body,
    }),
  ),
)
const row = computed(() => rows.value[place.value] ?? null)
const airWords = computed(() => {
  const air = shown.value?.air
  if (!air) return ''
  const read = `${figure(air.barometer, 2)} ${air.barometer_unit}, ${figure(air.temperature, 1)} ${air.temperature_unit}`
  const from = air.from_log ? ', from the weather log' : ''
  const factor = shown.value!.factor
    ? `; factor ${figure(shown.value!.factor, 4)}, ${shown.value!.standard_label}`
    : ''
  return `${read}, ${figure(air.humidity_percent, 0)} %${from}${factor}`
})
// One way of reducing holds at a time: what was set by hand before goes along with what is set now.
const byHand = computed(() => {
  const now = shown.value
  return now?.by_hand ? now.wish : {}
})
const cut = (start: number, end: number) =>
  reduce.mutate({ ...byHand.value, cut_start_s: start, cut_end_s: end })
const setInertia = (stand_inertia: string, inertia: number | null) =>
  reduce.mutate({ ...byHand.value, stand_inertia, inertia })

function go(step: number) {
  const next = rows.value[place.value + step]
  if (next) void router.replace({ name: 'pull', params: { pull: next.id }, query: route.query })
}
function lay(id: string) {
  void router.replace({ query: { ...route.query, with: id || undefined } })
}
watch(
  () => reduce.error.value,
  (failed) => {
    // What was dragged but not taken goes back to where the curve is cut.
    if (failed) void refresh(queries)
  },
)
useKeys([
  { key: 'ArrowLeft', label: '←', does: 'Pull before', press: () => go(-1) },
  { key: 'ArrowRight', label: '→', does: 'Next pull', press: () => go(1) },
  { key: 'r', label: 'R', does: 'Reset trim', press: () => shown.value?.by_hand && reduce.mutate({}) },
  { key: 'b', label: 'B', does: 'Back to all pulls', press: () => void router.push({ name: 'pulls' }) },
])
</script>

<template>
  <div class="page">
    <ProblemNote :error="error ?? reduce.error.value" />
    <template v-if="shown">
      <header class="page-head d-flex ga-4 align-center flex-wrap">
        <h1 class="mr-auto" data-test="inspected">
          <SetupMark :position="setup(shown.setup_id).position" />
          Pull {{ shown.number }}, {{ setup(shown.setup_id).letter }} {{ setup(shown.setup_id).name }}
        </h1>
        <v-autocomplete
          label="Beside"
          :model-value="beside ?? ''"
          :items="[
            { value: '', label: 'no other pull' },
            ...rows
              .filter((known) => known.id !== pull && !known.no_curve)
              .map((one) => ({
                value: one.id,
                label: `Pull ${one.number}, ${setup(one.setup_id).letter}`,
              })),
          ]"
          @update:model-value="lay(String($event))"
        />
        <v-autocomplete
          v-model="below"
          label="Below"
          :items="(choices ?? []).map(([key, name]) => ({ value: key, label: name }))"
        />
        <span class="steps d-flex ga-1">
          <v-btn :disabled="place <= 0" aria-label="Pull before" @click="go(-1)">←</v-btn>
          <v-btn :disabled="place < 0 || place >= rows.length - 1" aria-label="Next pull" @click="go(1)"
            >→</v-btn
          >
        </span>
      </header>
      <p v-if="shown.no_curve" class="text hand-note" role="alert">No curve: {{ shown.no_curve }}</p>
      <p v-if="shown.factor_why" class="text hand-note">{{ shown.factor_why }}</p>
      <p v-for="line in shown.not_repaired" :key="line" class="text hand-note" data-test="not-repaired">
        {{ line }}
      </p>
      <div class="split even">
        <section v-if="raw" class="chart" aria-label="Raw samples over time">
          <TraceChart
            :key="pull"
            :raw="raw"
            :cut="shown.cut"
            :below="below"
            :colour="colourOf(shown.setup_id)"
            :may-cut="mayOperate"
            @cut="cut"
          />
        </section>
        <section v-else-if="!shown.has_samples" class="chart d-grid border px-10 no-samples">
          <p class="text">
            Printed figures, {{ shown.figures }}. There are no samples, so scatter and channels are not known.
          </p>
        </section>
        <section v-if="first" class="chart" aria-label="Reduced curve">
          <PullCurves
            :pull="first"
            :other="second"
            :raw="raw ?? null"
            :below="below"
            :predicted="advice?.predicted"
          />
        </section>
      </div>
      <div class="split even mt-3">
        <section>
          <h2>Anomalies</h2>
          <ul
            v-if="shown.anomalies.length || shown.findings.length"
            class="prose size-15 pl-4"
            data-test="odd"
          >
            <li v-for="text in [...shown.anomalies, ...shown.findings]" :key="text">{{ text }}</li>
          </ul>
          <p v-else class="prose size-15">None found.</p>
          <template v-if="shown.cut">
            <h2 class="mt-3">Trim</h2>
            <p class="prose size-15" data-test="cut">
              From {{ shown.cut.start_s.toFixed(2) }} s, {{ shown.cut.start_rpm.toFixed(0) }} rpm,
              {{ shown.cut.start_why }}; to {{ shown.cut.end_s.toFixed(2) }} s,
              {{ shown.cut.end_rpm.toFixed(0) }} rpm, {{ shown.cut.end_why }}.
              <template v-if="shown.cut.rate_rpm_s"
                >Sweep {{ shown.cut.rate_rpm_s.toFixed(0) }} rpm/s.</template
              >
              <v-btn v-if="shown.by_hand && mayOperate" @click="reduce.mutate({})"
                >Reset trim <kbd>R</kbd></v-btn
              >
            </p>
          </template>
          <template v-if="shown.cut && mayOperate">
            <h2 class="mt-3"><TermTip term="inertia">Inertia correction</TermTip></h2>
            <InertiaPanel
              :inspection="shown"
              :other="beside && other?.setup_id === shown.setup_id ? beside : null"
              @set="setInertia"
            />
          </template>
          <template v-if="shown.air">
            <h2 class="mt-3">Air</h2>
            <p class="prose size-15">
              {{ airWords }}
            </p>
          </template>
          <PullTune
            v-if="row?.tune.length"
            :row="row"
            :rule="log?.tune_rule ?? ''"
            :chosen="log?.tune_chosen ?? false"
            :letter="setup(row.setup_id).letter"
            :may-operate="mayOperate"
          />
          <template v-if="shown.notes.length">
            <h2 class="mt-3">Notes</h2>
            <ul class="prose size-15">
              <li v-for="note in shown.notes" :key="note.at">
                {{ clock(note.at) }} {{ note.by }}: {{ note.label }}. {{ note.text }}
              </li>
            </ul>
          </template>
        </section>
        <section>
          <h2>Source and processing</h2>
          <dl class="pairs-of prose size-15">
            <template v-for="fact in shown.provenance" :key="fact.label">
              <dt>{{ fact.label }}</dt>
              <dd>{{ fact.text }}</dd>
            </template>
          </dl>
          <p v-if="shown.printed_sheet_id" class="prose size-15">
            Read off a picture: the
            <a :href="`/api/printed-sheets/${shown.printed_sheet_id}/page`" target="_blank"
              >straightened page</a
            >, the
            <a :href="`/api/printed-sheets/${shown.printed_sheet_id}/page?picture=true`" target="_blank"
              >picture as sent</a
            >
          </p>
          <p v-if="shown.has_samples" class="prose size-15">
            Samples as
            <a :href="`/api/pulls/${pull}/raw.csv`" download>CSV</a>,
            <a :href="`/api/pulls/${pull}/raw.mf4`" download>MDF4</a>,
            <a :href="`/api/pulls/${pull}/raw.parquet`" download>Parquet</a>
          </p>
        </section>
        <HeldAgainst
          class="all-columns"
          :pull="pull"
          :beside-number="beside ? rows.find((known) => known.id === beside)?.number : undefined"
          :comparison="comparison"
          :row="row"
        />
      </div>
      <BinsTable v-if="shown.speed_rpm.length" class="mt-4" :shown="shown" />
    </template>
    <v-skeleton-loader v-else-if="!error" type="heading, image, paragraph" />
  </div>
</template>

<style scoped>
.chart {
  height: 420px;
}
.no-samples {
  place-content: center;
}
</style>
