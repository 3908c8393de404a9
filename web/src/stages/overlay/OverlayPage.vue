<script setup lang="ts">
/** Curves of any tests on one chart in one standard. What is laid over each other stands in the address. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api } from '../../app/api/client'
import { useTitle } from '../../app/useTitle'
import { useAddress } from '../../app/useAddress'
import GainChart from '../../ui/charts/GainChart.vue'
import { NATURES, type Nature } from '../../ui/charts/natures'
import ProblemNote from '../../ui/ProblemNote.vue'
import { day, figure } from '../../ui/figures'
import AddCurves from './AddCurves.vue'
import OverlayChart from './OverlayChart.vue'

const items = useAddress('items')
const standard = useAddress('standard')
const keys = computed(() => items.value.split(',').filter(Boolean))
const { data, error } = useQuery({
  queryKey: computed(() => ['overlay', items.value, standard.value] as const),
  queryFn: async ({ queryKey: [, items, standard] }) =>
    answer(await api.GET('/api/overlay', { params: { query: { items, standard } } })),
  placeholderData: (before) => before,
})
const { data: known } = useQuery({
  queryKey: ['standards'],
  queryFn: async () => answer(await api.GET('/api/standards')),
  staleTime: Infinity,
})
const standards = computed(() => (known.value ?? []).map((one) => ({ value: one.id, label: one.label })))
useTitle(() => 'Overlay')

function set(wanted: string[]) {
  items.value = [...new Set(wanted)].join(',')
}
const STEP = 500
/** The speeds of the table, and each curve's torque or share there. */
const speeds = computed(() => {
  const all = (data.value?.curves ?? []).flatMap((curve) => curve.speed_rpm)
  return [...new Set(all)].filter((rpm) => rpm % STEP === 0).sort((one, other) => one - other)
})
function valueAt(at: number, rpm: number) {
  const curve = data.value!.curves[at]!
  const place = curve.speed_rpm.findIndex((speed) => Math.abs(speed - rpm) < 1)
  return place < 0 ? '' : figure((data.value!.shape_why ? curve.share_percent : curve.torque)[place])
}
</script>

<template>
  <div class="page" data-test="overlay">
    <header class="page-head">
      <h1>Overlay</h1>
      <v-select
        v-if="data"
        :model-value="data.standard"
        label="Standard"
        class="flex-grow-0 w-320"
        :items="standards"
        @update:model-value="standard = $event"
      />
    </header>
    <ProblemNote :error="error" />
    <AddCurves @add="(key) => set([...keys, key])" />
    <p v-for="line in data?.missing" :key="line" class="message">{{ line }}</p>
    <p v-if="data && !data.curves.length" class="text">
      Find a test and add its setups: curves of several tests stand on one chart in one standard.
    </p>
    <template v-else-if="data">
      <p v-if="data.shape_why" class="text" data-test="shape-why">{{ data.shape_why }}</p>
      <OverlayChart :found="data" />
      <v-table class="figures close mt-4" data-test="overlaid">
        <thead>
          <tr>
            <th class="words">Curve</th>
            <th class="words">Test</th>
            <th class="words">Nature</th>
            <th>Peak torque, {{ data.torque_unit }}</th>
            <th>at, rpm</th>
            <th class="words"><span class="visually-hidden">Change</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(curve, at) in data.curves" :key="curve.key">
            <td class="words">{{ at + 1 }} {{ curve.title }}</td>
            <td class="words py-1">
              <router-link :to="{ name: 'curves', params: { id: curve.programme_id } }">{{
                curve.about
              }}</router-link>
              <div class="quiet small">{{ day(curve.ran_at) }}</div>
            </td>
            <td class="words">{{ NATURES[curve.nature as Nature].word }}</td>
            <td>{{ figure(curve.peak_torque) }}</td>
            <td>{{ figure(curve.peak_rpm, 0) }}</td>
            <td class="text-no-wrap">
              <v-btn
                v-if="at"
                variant="text"
                :aria-label="`Hold the others against ${curve.title}`"
                @click="set([curve.key, ...keys])"
                >Hold others against it</v-btn
              >
              <v-btn
                variant="text"
                :aria-label="`Remove ${curve.title}`"
                @click="set(keys.filter((key) => key !== curve.key))"
                >Remove</v-btn
              >
            </td>
          </tr>
        </tbody>
      </v-table>
      <section v-if="data.gains.length" class="mt-6" data-test="overlay-gains">
        <h2>Over {{ data.curves[0]!.title }}</h2>
        <p v-for="row in data.gains" :key="row.key" class="text">{{ row.sentence }}</p>
        <GainChart
          :gains="data.gains.map((row) => row.gain)"
          :positions="data.gains.map((row) => data!.curves.findIndex((curve) => curve.key === row.key))"
        />
      </section>
      <v-table class="figures close mt-6" data-test="overlay-values">
        <caption class="text-left quiet">
          {{
            data.shape_why ? 'Torque, % of the own peak' : `Torque, ${data.torque_unit}`
          }}
        </caption>
        <thead>
          <tr>
            <th>rpm</th>
            <th v-for="(curve, at) in data.curves" :key="curve.key" :title="curve.title">{{ at + 1 }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="rpm in speeds" :key="rpm">
            <td>{{ figure(rpm, 0) }}</td>
            <td v-for="(curve, at) in data.curves" :key="curve.key">{{ valueAt(at, rpm) }}</td>
          </tr>
        </tbody>
      </v-table>
    </template>
  </div>
</template>
