<script setup lang="ts">
/** A part of the library between tested ones of its kind: a curve with a band, which nobody measured. */
import { useQuery } from '@tanstack/vue-query'
import { computed, shallowRef, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../../app/api/client'
import { useAction } from '../../../app/api/queries'
import { useFrame } from '../../../app/frame'
import { useKeys } from '../../../app/keys'
import { useAddress, useAddressParts } from '../../../app/useAddress'
import GainChart from '../../../ui/charts/GainChart.vue'
import { figure, signed } from '../../../ui/figures'
import ProblemNote from '../../../ui/ProblemNote.vue'
import { useChoice } from '../choice'
import KeptEstimates from '../estimates/KeptEstimates.vue'
import TestedParts from './TestedParts.vue'

const { programme, setup, mayOperate } = useFrame()
const { choice } = useChoice()
const change = useAddressParts()
const slot = useAddress('slot')
const family = useAddress('family')
const part = useAddress('part')
const variable = useAddress('by')
const reference = useAddress('over')
const without = useAddress('without')
const ownName = useAddress('own', '', { step: false })
const values = useAddress('values', '', { step: false })
const value = useAddress('value', '', { step: false })
const asked = computed(() => ({
  ...choice.value,
  slot: slot.value || undefined,
  family: Number(family.value) || undefined,
  part_id: Number(part.value) || undefined,
  variable: variable.value || undefined,
  reference: Number(reference.value) || undefined,
  without: without.value || undefined,
  own_name: ownName.value || undefined,
  values: values.value || undefined,
  value: value.value || undefined,
}))
const { data, error, isFetching } = useQuery({
  queryKey: computed(() => ['slot-in', programme.value.id, asked.value] as const),
  queryFn: async ({ queryKey: [, programme_id, query] }): Promise<Schema['SlotInOut']> =>
    answer(
      await api.GET('/api/programmes/{programme_id}/slot-in', { params: { path: { programme_id }, query } }),
    ),
  placeholderData: (before) => before,
  retry: false,
})
/** What was refused leaves the last answer standing, and the fields beside it. */
const found = shallowRef(data.value)
watch(data, (given) => given && (found.value = given), { immediate: true })
const wrong = computed(() => ({
  ...found.value?.refused,
  ...(error.value instanceof Problem ? error.value.fields : {}),
}))
const inferred = computed(() => found.value?.gains.find((gain) => gain.nature === 'inferred'))
const positions = computed(() =>
  (found.value?.gains ?? []).map((gain) => (gain.setup_id ? setup(gain.setup_id).position : null)),
)
/** Every fifth bin: the table says what the chart draws. */
const rows = computed(() => {
  const gain = inferred.value
  return (gain?.speed_rpm ?? []).flatMap((rpm, at) =>
    at % 5
      ? []
      : [
          {
            rpm,
            percent: gain!.percent[at]!,
            low: gain!.low_percent[at]!,
            high: gain!.high_percent[at]!,
            torque: found.value!.torque[at]!,
            lowest: found.value!.torque_low[at]!,
            highest: found.value!.torque_high[at]!,
          },
        ],
  )
})
function chooseSlot(next: string) {
  change({
    slot: next,
    family: undefined,
    part: undefined,
    by: undefined,
    over: undefined,
    without: undefined,
    values: undefined,
  })
}
const keep = useAction(async () =>
  answer(
    await api.POST('/api/programmes/{programme_id}/slot-in', {
      params: { path: { programme_id: programme.value.id } },
      body: { ...asked.value, part_id: found.value?.part_id ?? undefined } as Schema['SlotInAsked'],
    }),
  ),
)
const mayKeep = computed(() => mayOperate.value && inferred.value !== undefined && !keep.isPending.value)
useKeys([
  { key: 'k', label: 'K', does: 'Keep the estimate', press: () => mayKeep.value && keep.mutate(undefined) },
])
</script>

<template>
  <section data-test="slot-in" class="pt-3" :aria-busy="isFetching">
    <ProblemNote :error="keep.error.value ?? (Object.keys(wrong).length ? null : error)" />
    <p v-if="found?.nothing" class="text quiet">{{ found.nothing }}</p>
    <template v-else-if="found">
      <div class="fields-grid">
        <v-select
          :model-value="found.slot"
          label="Kind of part"
          :items="found.slots"
          :error-messages="wrong.slot"
          @update:model-value="chooseSlot"
        />
        <v-select
          v-if="found.families.length > 1"
          :model-value="found.family"
          label="Setups that differ in it alone"
          :items="found.families"
          @update:model-value="
            change({ family: $event, over: undefined, without: undefined, values: undefined })
          "
        />
        <v-autocomplete
          :model-value="found.part_id ? String(found.part_id) : null"
          label="Part between"
          :items="found.parts"
          :error-messages="wrong.part"
          no-data-text="No other part of this kind is in the library"
          @update:model-value="part = $event ?? ''"
        />
        <v-select
          :model-value="found.variable"
          label="What decides"
          :items="found.variables"
          @update:model-value="variable = $event"
        />
        <v-select
          :model-value="found.reference ? String(found.reference) : null"
          label="Gain over"
          :items="
            found.tested
              .filter((one) => one.used)
              .map((one) => ({ value: String(one.setup_id), label: one.part }))
          "
          @update:model-value="reference = $event"
        />
      </div>
      <p v-if="found.sentence" class="text my-3" data-test="inferred">{{ found.sentence }}</p>
      <div v-if="found.causes.length" class="text message my-3" data-test="second-cause">
        <p v-for="cause in found.causes" :key="cause" class="mb-1">{{ cause }}</p>
      </div>
      <GainChart v-if="found.gains.length" :gains="found.gains" :positions="positions" />
      <v-btn v-if="mayOperate && inferred" class="my-2" :disabled="!mayKeep" @click="keep.mutate(undefined)"
        >Keep the estimate</v-btn
      >
      <div class="d-flex flex-wrap ga-6">
        <TestedParts
          v-model:without="without"
          v-model:values="values"
          v-model:value="value"
          v-model:own-name="ownName"
          :found="found"
          :wrong="wrong"
        />
        <v-table v-if="rows.length" class="figures close" data-test="between-figures">
          <caption class="text-left quiet">
            {{
              inferred!.label
            }}: inferred, not measured
          </caption>
          <thead>
            <tr>
              <th>rpm</th>
              <th>%</th>
              <th>Band, %</th>
              <th>Torque, {{ found.torque_unit }}</th>
              <th>Band</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in rows" :key="row.rpm">
              <td>{{ figure(row.rpm, 0) }}</td>
              <td>{{ signed(row.percent, 1) }}</td>
              <td>{{ signed(row.low, 1) }} to {{ signed(row.high, 1) }}</td>
              <td>{{ figure(row.torque, 0) }}</td>
              <td>{{ figure(row.lowest, 0) }} to {{ figure(row.highest, 0) }}</td>
            </tr>
          </tbody>
        </v-table>
      </div>
      <p v-for="line in [...found.basis, ...found.companions]" :key="line" class="text quiet">{{ line }}</p>
    </template>
    <KeptEstimates nature="inferred" />
  </section>
</template>
