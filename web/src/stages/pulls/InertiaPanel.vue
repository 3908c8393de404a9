<script setup lang="ts">
/** Whether the torque that speeds up the rotating parts is in the curve, and how much of it there is. */
import { ref, watch } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { typedNumber, useImportChoices } from './where'
import { choicesOf } from '../../ui/choices'

const props = defineProps<{
  inspection: Schema['InspectionOut']
  /** Another pull of the same setup, at another sweep rate. */
  other: number | null
}>()
const emit = defineEmits<{ set: [standInertia: string, inertia: number | null] }>()
const { data: choices } = useImportChoices()
const chosen = ref('')
const typed = ref('')
const found = ref<Schema['InertiaOut'] | null>(null)
const error = ref<Error | null>(null)
watch(
  () => props.inspection,
  (now) => {
    chosen.value = now.stand_inertia
    typed.value = now.inertia ? String(Number(now.inertia.toPrecision(4))) : ''
  },
  { immediate: true },
)
watch(
  () => [props.inspection.pull_id, props.other],
  () => (found.value = error.value = null),
)
async function estimate() {
  error.value = found.value = null
  try {
    found.value = answer(
      await api.GET('/api/pulls/{pull_id}/inertia', {
        params: { path: { pull_id: props.inspection.pull_id }, query: { other: props.other! } },
      }),
    )
  } catch (caught) {
    error.value = caught as Error
  }
}
const wrong = ref('')
function send() {
  const value = typedNumber(typed.value)
  const needed = chosen.value === 'not_included'
  wrong.value =
    needed && (value === null || !Number.isFinite(value) || value < 0) ? 'Say how much, as a number.' : ''
  if (!wrong.value) emit('set', chosen.value, needed ? value : null)
}
function use() {
  chosen.value = 'not_included'
  typed.value = String(Number(found.value!.inertia.toPrecision(4)))
  emit('set', chosen.value, found.value!.inertia)
}
</script>

<template>
  <v-form class="d-flex flex-wrap ga-2 align-center prose size-15" @submit.prevent="send">
    <v-select v-model="chosen" aria-label="Inertia of the sweep" :items="choicesOf(choices?.inertia)" />
    <v-text-field
      v-if="chosen === 'not_included'"
      v-model="typed"
      inputmode="decimal"
      class="number w-110"
      aria-label="Inertia to add"
      :suffix="inspection.inertia_unit"
      :error="Boolean(wrong)"
    />
    <v-btn type="submit">Save</v-btn>
    <span v-if="wrong" role="alert" class="text-error">{{ wrong }}</span>
    <v-btn v-if="other !== null" data-test="estimate" @click="estimate">From these two pulls</v-btn>
    <span v-if="found" role="status">{{ found.words }} <v-btn @click="use">Apply</v-btn></span>
    <ProblemNote :error="error" />
  </v-form>
</template>
