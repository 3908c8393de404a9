<script setup lang="ts">
/** What a setup gained, carried to another engine: a band by a rule that is stated, and no measurement. */
import { useQuery } from '@tanstack/vue-query'
import { computed, shallowRef, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../../app/api/client'
import { useAction } from '../../../app/api/queries'
import { useFrame } from '../../../app/frame'
import { useKeys } from '../../../app/keys'
import { useAddress } from '../../../app/useAddress'
import GainChart from '../../../ui/charts/GainChart.vue'
import { type Nature, NATURES } from '../../../ui/charts/natures'
import { figure, signed } from '../../../ui/figures'
import ProblemNote from '../../../ui/ProblemNote.vue'
import { useChoice } from '../choice'
import KeptEstimates from '../estimates/KeptEstimates.vue'

const { programme, setup, mayOperate } = useFrame()
const { choice } = useChoice()
const one = useAddress('from')
const other = useAddress('to')
const engine = useAddress('engine')
const displacement = useAddress('displacement', '', { step: false })
const cylinders = useAddress('cylinders', '', { step: false })
const strokes = useAddress('strokes')
const demand = useAddress('demand')
const byPort = useAddress('by_port')
const asked = computed(() => ({
  ...choice.value,
  one: Number(one.value) || undefined,
  other: Number(other.value) || undefined,
  build_id: Number(engine.value) || undefined,
  displacement: engine.value ? undefined : displacement.value || undefined,
  cylinders: engine.value ? undefined : Number(cylinders.value) || undefined,
  strokes: !engine.value && strokes.value === '2' ? 2 : undefined,
  demand: demand.value || undefined,
  by_port: byPort.value === 'true' || undefined,
}))
const { data, error, isFetching } = useQuery({
  queryKey: computed(() => ['transfer', programme.value.id, asked.value] as const),
  queryFn: async ({ queryKey: [, programme_id, query] }): Promise<Schema['TransferOut']> =>
    answer(
      await api.GET('/api/programmes/{programme_id}/transfer', { params: { path: { programme_id }, query } }),
    ),
  placeholderData: (before) => before,
  retry: false,
})
/** What was refused leaves the last answer standing, and the fields beside it. */
const found = shallowRef(data.value)
watch(data, (given) => given && (found.value = given), { immediate: true })
const wrong = computed(() => (error.value instanceof Problem ? error.value.fields : {}))
const setups = computed(() =>
  programme.value.setups.map((setup) => ({
    value: String(setup.id),
    label: `${setup.letter} ${setup.name}`,
  })),
)
const carried = computed(() => found.value?.gains.some((gain) => gain.nature === 'transferred'))
const positions = computed(() =>
  (found.value?.gains ?? []).map((gain) => (gain.setup_id ? setup(gain.setup_id).position : null)),
)
const keep = useAction(async () =>
  answer(
    await api.POST('/api/programmes/{programme_id}/transfer', {
      params: { path: { programme_id: programme.value.id } },
      body: asked.value as Schema['TransferIn'],
    }),
  ),
)
const mayKeep = computed(() => mayOperate.value && carried.value && !keep.isPending.value)
useKeys([
  { key: 'k', label: 'K', does: 'Keep the estimate', press: () => mayKeep.value && keep.mutate(undefined) },
])
/** Every fifth bin: the table says what the chart draws. */
const rows = (gain: Schema['GainOut']) =>
  gain.speed_rpm.flatMap((rpm, at) =>
    at % 5
      ? []
      : [{ rpm, percent: gain.percent[at]!, low: gain.low_percent[at]!, high: gain.high_percent[at]! }],
  )
</script>

<template>
  <section data-test="transfer" class="pt-3" :aria-busy="isFetching">
    <ProblemNote :error="keep.error.value ?? error" />
    <div v-if="found" class="fields-grid">
      <v-select
        :model-value="one || String(found.one_id)"
        label="What was gained over"
        :items="setups"
        @update:model-value="one = $event"
      />
      <v-select
        :model-value="other || String(found.other_id)"
        label="By"
        :items="setups"
        :error-messages="wrong.other"
        @update:model-value="other = $event"
      />
      <v-select
        :model-value="engine"
        label="On the engine"
        :items="[
          { value: '', label: 'typed beside' },
          ...found.engines.map((one) => ({ value: String(one.build_id), label: one.label })),
        ]"
        :error-messages="wrong.build_id"
        @update:model-value="engine = $event"
      />
      <v-text-field
        v-model.lazy="displacement"
        label="Displacement"
        placeholder="5.0 L"
        :disabled="Boolean(engine)"
        :error-messages="wrong.displacement"
      />
      <v-text-field
        v-model.lazy="cylinders"
        label="Cylinders"
        inputmode="numeric"
        :disabled="Boolean(engine)"
        :error-messages="wrong.cylinders"
      />
      <v-select
        :model-value="strokes || '4'"
        label="Firing cycle"
        :items="[
          { value: '4', label: 'Four-stroke' },
          { value: '2', label: 'Two-stroke' },
        ]"
        :disabled="Boolean(engine)"
        :error-messages="wrong.strokes"
        @update:model-value="strokes = $event === '2' ? '2' : ''"
      />
      <v-select
        :model-value="demand || found.demand"
        label="Whose air it sees"
        :items="Object.entries(found.demands).map(([value, label]) => ({ value, label }))"
        :error-messages="wrong.demand"
        @update:model-value="demand = $event"
      />
      <v-checkbox
        :model-value="byPort === 'true'"
        label="By gas speed in the ports"
        :error-messages="wrong.port_area"
        @update:model-value="byPort = $event ? 'true' : ''"
      />
    </div>
    <template v-if="found">
      <p v-if="found.sentence" class="text my-3" data-test="transferred">{{ found.sentence }}</p>
      <p v-else class="text quiet">
        Choose an engine, or type its size: what was gained here is carried there.
      </p>
      <GainChart :gains="found.gains" :positions="positions" />
      <v-btn v-if="mayOperate && carried" class="my-2" :disabled="!mayKeep" @click="keep.mutate(undefined)"
        >Keep the estimate</v-btn
      >
      <div class="d-flex flex-wrap ga-6">
        <v-table v-for="(gain, at) in found.gains" :key="at" class="figures close" data-test="gain">
          <caption class="text-left quiet">
            {{
              gain.label
            }}:
            {{
              NATURES[gain.nature as Nature].word
            }}
          </caption>
          <thead>
            <tr>
              <th>rpm</th>
              <th>%</th>
              <th>95 %</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in rows(gain)" :key="row.rpm">
              <td>{{ figure(row.rpm, 0) }}</td>
              <td>{{ signed(row.percent, 1) }}</td>
              <td>{{ signed(row.low, 1) }} to {{ signed(row.high, 1) }}</td>
            </tr>
          </tbody>
        </v-table>
      </div>
      <p v-for="line in [found.rule, found.spread].filter(Boolean)" :key="line" class="text quiet">
        {{ line }}
      </p>
      <ul v-if="found.reminders.length" class="prose size-15 pl-4">
        <li v-for="line in found.reminders" :key="line">{{ line }}</li>
      </ul>
    </template>
    <KeptEstimates nature="transferred" />
  </section>
</template>
