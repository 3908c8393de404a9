<script setup lang="ts">
/** The question, what its answers change, what the engine is for, and the rules that hold for every setup. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api } from '../../app/api/client'
import { useMe } from '../../app/api/queries'
import NumberFields from '../../ui/NumberFields.vue'
import BuildPicker from '../engine/BuildPicker.vue'
import DutyCurve from './DutyCurve.vue'
import { drawable } from './draft'
import type { PlanDraft } from './usePlanDraft'
import { useFirstFocus } from '../../ui/useFirstFocus'

const props = defineProps<{ plan: PlanDraft; fixedEngine: boolean }>()
const { draft, fields, choices, concluded, slots } = props.plan
const { data: me } = useMe()
const { data: standards } = useQuery({
  queryKey: ['standards'],
  queryFn: async () => answer(await api.GET('/api/standards')),
})
const NUMBERS = [
  { key: 'sweep_start_rpm', label: 'Sweep from', unit: 'rpm' },
  { key: 'sweep_end_rpm', label: 'Sweep to', unit: 'rpm' },
  { key: 'sweep_rate', label: 'Sweep rate', unit: 'rpm/s' },
  { key: 'extension_rpm', label: 'Extend, if power still climbs, by', unit: 'rpm' },
  { key: 'low_rpm', label: 'Compared from', unit: 'rpm' },
  { key: 'high_rpm', label: 'Compared to', unit: 'rpm' },
  { key: 'smallest_difference', label: 'Smallest difference that matters', unit: '%' },
]
const LIMITS = computed(() => [
  { key: 'height_limit', label: 'Height limit', unit: me.value?.units.length ?? '', placeholder: 'none' },
  {
    key: 'cost_ceiling',
    label: 'Cost ceiling for new parts',
    unit: me.value?.currency ?? '',
    placeholder: 'none',
  },
])
const dutyMeaning = computed(() => choices.value?.duties.find((one) => one.value === draft.duty)?.meaning)
const range = computed(() => {
  const [low, high] = [Number.parseFloat(draft.texts.low_rpm!), Number.parseFloat(draft.texts.high_rpm!)]
  return Number.isFinite(low) && Number.isFinite(high) && low < high ? { low, high } : null
})

function chooseDuty(chosen: string) {
  if (chosen === 'drawn' && range.value)
    draft.points = drawable(concluded.value?.duty_points ?? [], range.value.low, range.value.high)
  draft.duty = chosen
}
useFirstFocus('first')
</script>

<template>
  <div class="split even">
    <div class="form">
      <v-text-field
        ref="first"
        v-model="draft.question"
        label="Question"
        placeholder="Which manifold for…?"
        :error-messages="fields.question"
      />
      <v-textarea
        v-model="draft.words!.answers_change"
        label="Decision this test will settle"
        rows="2"
        placeholder="If B wins by 2 %, it is bought; if not…"
      />
      <BuildPicker
        v-model="draft.build_id"
        label="Engine"
        :disabled="fixedEngine"
        :none="{ value: 0, label: '–' }"
        :error-messages="fields.build_id"
      />
      <v-select v-model="draft.kind" label="Kind" :items="choices?.kinds" />
      <v-select
        v-model="draft.standard"
        label="Standard"
        :items="(standards ?? []).map((known) => ({ value: known.id, label: known.label }))"
      />
      <v-select v-model="draft.mixture_policy" label="Mixture" :items="choices?.mixture_policies" />
      <v-select v-model="draft.tune_rule" label="Tune that counts" :items="choices?.tune_rules" />
      <v-select v-model="draft.boost_policy" label="Boost" :items="choices?.boost_policies" />
      <v-select
        v-if="draft.boost_policy"
        v-model="draft.boost_school"
        label="School for boosted engines"
        :items="choices?.boost_schools"
      />
      <v-text-field
        v-model="draft.words!.held_constant"
        label="Also held constant"
        placeholder="oil, water, thermostat…"
      />
      <v-text-field
        v-model="draft.words!.stand_in"
        label="Substitute test for"
        placeholder="leave empty, or: unboosted run of an engine that will be boosted"
        :error-messages="fields.stand_in"
      />
    </div>
    <div>
      <div class="form">
        <NumberFields :rows="NUMBERS" :texts="draft.texts" :wrong="fields" />
      </div>
      <div class="form">
        <v-select
          label="Duty"
          :model-value="draft.duty"
          :items="[...(choices?.duties ?? []), { value: 'drawn', label: 'Drawn by hand' }]"
          @update:model-value="chooseDuty"
        />
        <p v-if="dutyMeaning" class="quiet prose size-15 mt-0 mb-1 mx-0">{{ dutyMeaning }}</p>
        <p v-if="draft.duty === 'drawn'" class="quiet prose size-15 mt-0 mb-1 mx-0">
          Drag the points, or move them with the arrow keys.
        </p>
        <DutyCurve
          v-if="range"
          :points="draft.duty === 'drawn' ? draft.points! : (concluded?.duty_points ?? [])"
          :low="range.low"
          :high="range.high"
          :editable="draft.duty === 'drawn'"
          @change="(points) => (draft.points = points)"
        />
        <p v-else class="quiet prose size-15 mt-0 mb-1 mx-0">
          Its curve shows once the range that is compared is typed.
        </p>
        <p v-if="fields.points" class="message">{{ fields.points }}</p>
        <NumberFields :rows="LIMITS" :texts="draft.texts" :wrong="fields" />
        <v-checkbox v-model="draft.must_look_stock" label="Must look stock" />
        <v-select
          v-model="draft.fixed_slots"
          label="Parts the customer keeps"
          placeholder="none"
          multiple
          chips
          closable-chips
          :items="slots"
          :error-messages="fields.fixed_slots"
          data-test="fixed-slots"
        />
      </div>
    </div>
  </div>
</template>

<style scoped>
.split .form {
  --label: 210px;
}
</style>
