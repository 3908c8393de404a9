<script setup lang="ts">
/** The car as the build sheet has it, with what is tried in its place; the rules of a time; what else is asked. */
import { reactive, ref, watch } from 'vue'

import type { Schema } from '../../../app/api/client'
import DisclosurePanel from '../../../ui/DisclosurePanel.vue'
import { figure } from '../../../ui/figures'

const props = defineProps<{
  road: Schema['RoadOut'] | undefined
  tried: Partial<Record<string, string>>
  wrong: Record<string, string>
}>()
const emit = defineEmits<{ tryOut: [texts: Record<string, string>] }>()
/** Open where there is something to be put right. */
const open = ref(false)
watch(
  () => !props.road || Object.keys(props.wrong).length > 0,
  (asked) => asked && (open.value = true),
)
const typed = reactive<Record<string, string>>({})
watch(
  () => props.tried,
  (tried) => {
    for (const key of Object.keys(typed)) delete typed[key]
    Object.assign(typed, tried)
  },
  { immediate: true },
)
/** Without a car there is no answer to take the lines from. */
const NEEDED = [
  { key: 'vehicle_mass', label: 'Mass, ready to run', text: '', unit: '', source: '' },
  { key: 'gear_1', label: 'Gear 1', text: '', unit: ':1', source: '' },
  { key: 'gear_2', label: 'Gear 2', text: '', unit: ':1', source: '' },
  { key: 'gear_3', label: 'Gear 3', text: '', unit: ':1', source: '' },
  { key: 'gear_4', label: 'Gear 4', text: '', unit: ':1', source: '' },
  { key: 'final_drive', label: 'Final drive', text: '', unit: ':1', source: '' },
  { key: 'tire_radius', label: 'Tire, rolling radius', text: '', unit: '', source: '' },
]
const placeholder = (line: Schema['VehicleLineOut']) =>
  line.source === 'assumed' ? `${line.text} assumed` : line.text || 'none'
/** What the sweep reaches in a gear: beyond that nothing is known. */
function reach(gear: string | undefined): string {
  const ends = props.road?.gear_speeds[Number(gear) - 1]
  return ends ? `swept from ${figure(ends[0]!, 0)} to ${figure(ends[1]!, 0)} ${props.road!.speed_unit}` : ''
}
const RULES = [
  { key: 'grip_rule', label: 'Tires', rules: 'grip_rules' },
  { key: 'inertia_rule', label: 'Inertia', rules: 'inertia_rules' },
  { key: 'torque_rule', label: 'Torque between bins', rules: 'torque_rules' },
] as const
</script>

<template>
  <DisclosurePanel v-model:open="open" title="The car, and by which rules" class="mt-4">
    <v-form data-test="car" @submit.prevent="emit('tryOut', { ...typed })">
      <p class="text quiet size-15">
        What is typed here is tried, and written nowhere; the build sheet keeps the car. Type none to leave
        out a line that the sheet has.
      </p>
      <div class="fields-grid">
        <v-text-field
          v-for="line in road?.vehicle ?? NEEDED"
          :key="line.key"
          v-model="typed[line.key]"
          :label="line.label"
          :suffix="line.unit"
          :placeholder="placeholder(line)"
          persistent-placeholder
          :error-messages="wrong[line.key]"
        />
        <v-select
          v-for="rule in road ? RULES : []"
          :key="rule.key"
          v-model="typed[rule.key]"
          :label="rule.label"
          :items="road![rule.rules]"
          :placeholder="road![rule.rules][0]?.label"
          persistent-placeholder
          clearable
          :error-messages="wrong[rule.key]"
        />
        <v-select
          v-model="typed.rollout"
          label="Clock starts"
          :items="[
            { value: 'true', label: 'After a rollout of 1 ft' },
            { value: 'false', label: 'At the first movement' },
          ]"
          placeholder="After a rollout of 1 ft"
          persistent-placeholder
          clearable
        />
      </div>
      <div class="fields-grid mt-3">
        <v-text-field
          v-model="typed.shift_rpm"
          label="Shift at"
          suffix="rpm"
          placeholder="searched"
          persistent-placeholder
          :error-messages="wrong.shift_rpm"
        />
        <v-text-field
          v-model="typed.roll_gear"
          label="On the roll in gear"
          inputmode="numeric"
          :hint="reach(typed.roll_gear)"
          persistent-hint
          :error-messages="wrong.roll_gear"
        />
        <v-text-field
          v-model="typed.roll_from"
          label="From"
          :suffix="road?.speed_unit"
          :error-messages="wrong.roll_from"
        />
        <v-text-field
          v-model="typed.roll_to"
          label="To"
          :suffix="road?.speed_unit"
          :error-messages="wrong.roll_to"
        />
        <v-text-field
          v-model="typed.grade_gear"
          label="Grade held in gear"
          inputmode="numeric"
          :hint="reach(typed.grade_gear)"
          persistent-hint
          :error-messages="wrong.grade_gear"
        />
        <v-text-field
          v-model="typed.grade_at"
          label="At"
          :suffix="road?.speed_unit"
          :error-messages="wrong.grade_at"
        />
      </div>
      <div class="buttons">
        <v-btn type="submit">Run it</v-btn>
        <v-btn @click="emit('tryOut', {})">Back to the build sheet</v-btn>
      </div>
    </v-form>
  </DisclosurePanel>
</template>
