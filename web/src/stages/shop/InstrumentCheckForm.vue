<script setup lang="ts">
/** A check of one channel: its zero, weights on an arm, or a reading beside a reference. */
import { computed, reactive, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import QuantityField from '../../ui/QuantityField.vue'

const props = defineProps<{
  stand: number
  row: Schema['InstrumentOut']
  register: Schema['RegisterOut']
}>()
const emit = defineEmits<{ saved: [register: Schema['RegisterOut']]; cancel: [] }>()
const isTorque = computed(() => props.row.channel === 'torque')
const kind = ref(isTorque.value ? 'span' : 'reference')
const kinds = computed(() => [
  isTorque.value
    ? { value: 'span', title: 'Weights on an arm' }
    : { value: 'reference', title: 'Beside a reference' },
  { value: 'zero', title: 'Zero' },
  ...(props.register.may_set ? [{ value: 'interval', title: 'How often' }] : []),
])
const ROWS = 4
const rows = reactive(Array.from({ length: ROWS }, () => ({ weight: '', reading: '' })))
const typed = reactive({
  arm: '',
  arm_uncertainty: '',
  weights_percent: '',
  latitude: '',
  reference: '',
  reading: '',
  known_to: '',
  note: '',
  days: props.row.days ? String(props.row.days) : '',
})
const fields = ref<Record<string, string>>({})
const whole = ref('')
const pending = ref(false)

function send() {
  const path = { params: { path: { stand_id: props.stand, channel: props.row.channel } } }
  const { reference, reading, known_to, note, days } = typed
  if (kind.value === 'zero')
    return api.POST('/api/stands/{stand_id}/instruments/{channel}/zero', { ...path, body: { reading, note } })
  if (kind.value === 'interval')
    return api.PUT('/api/stands/{stand_id}/instruments/{channel}/interval', { ...path, body: { days } })
  if (kind.value === 'reference')
    return api.POST('/api/stands/{stand_id}/instruments/{channel}/reference', {
      ...path,
      body: { reference, reading, known_to, note },
    })
  return api.POST('/api/stands/{stand_id}/instruments/torque/span', {
    params: { path: { stand_id: props.stand } },
    body: {
      weights: rows.map((one) => one.weight),
      readings: rows.map((one) => one.reading),
      arm: typed.arm,
      arm_uncertainty: typed.arm_uncertainty,
      weights_percent: typed.weights_percent,
      latitude: typed.latitude,
      note,
    },
  })
}
async function save() {
  pending.value = true
  fields.value = {}
  whole.value = ''
  try {
    emit('saved', answer(await send()))
  } catch (caught) {
    whole.value = caught instanceof Error ? caught.message : String(caught)
    if (caught instanceof Problem) fields.value = caught.fields
  } finally {
    pending.value = false
  }
}
const wrong = (field: string) => fields.value[field] ?? ''
</script>

<template>
  <v-form
    class="border pa-3 mb-3"
    data-test="instrument-check"
    @submit.prevent="save"
    @keydown.esc="emit('cancel')"
  >
    <h3 class="ink size-16 mb-2">Check {{ row.name.toLowerCase() }}</h3>
    <v-btn-toggle v-model="kind" mandatory :aria-label="`Kind of check of ${row.name.toLowerCase()}`">
      <v-btn v-for="one in kinds" :key="one.value" :value="one.value">{{ one.title }}</v-btn>
    </v-btn-toggle>
    <template v-if="kind === 'span'">
      <p class="prose size-15 my-2">
        Engine off, brake free, arm level. Hang the weights up and down again: the same weight twice shows how
        far the brake sticks. Keep feet and hands from under the weights.
      </p>
      <div class="d-flex flex-wrap ga-3">
        <QuantityField
          v-model="typed.arm"
          class="w-200"
          label="Arm, shaft to hook"
          :unit="register.length_unit"
          :wrong="wrong('arm')"
        />
        <QuantityField
          v-model="typed.arm_uncertainty"
          class="w-200"
          label="Known to ±"
          :unit="register.length_unit"
          :placeholder="register.length_unit === 'in' ? '0.04' : '1'"
          :wrong="wrong('arm_uncertainty')"
        />
        <QuantityField
          v-model="typed.weights_percent"
          class="w-200"
          label="Weights known to ±"
          unit="%"
          placeholder="0.1"
          :wrong="wrong('weights_percent')"
        />
        <QuantityField
          v-model="typed.latitude"
          class="w-200"
          label="Latitude, for gravity"
          unit="°"
          placeholder="not known"
          :wrong="wrong('latitude')"
        />
      </div>
      <div v-for="(one, at) in rows" :key="at" class="d-flex ga-3 mt-2">
        <QuantityField
          v-model="one.weight"
          class="w-200"
          :label="`Weight ${at + 1}`"
          :unit="register.mass_unit"
          :wrong="wrong(`weights.${at}`)"
        />
        <QuantityField
          v-model="one.reading"
          class="w-200"
          :label="`Torque read ${at + 1}`"
          :unit="register.torque_unit"
          :wrong="wrong(`readings.${at}`)"
        />
      </div>
      <v-btn variant="text" @click="rows.push({ weight: '', reading: '' })">Add a row</v-btn>
      <p v-if="wrong('weights')" class="message" role="alert">{{ wrong('weights') }}</p>
    </template>
    <div v-else-if="kind === 'interval'" class="d-flex ga-3 my-2">
      <QuantityField
        v-model="typed.days"
        class="w-200"
        label="Check every"
        unit="days"
        placeholder="not asked for"
        :wrong="wrong('days')"
      />
    </div>
    <div v-else class="d-flex flex-wrap ga-3 my-2">
      <QuantityField
        v-if="kind === 'reference'"
        v-model="typed.reference"
        class="w-200"
        label="Reference reads"
        :unit="row.unit"
        :wrong="wrong('reference')"
      />
      <QuantityField
        v-model="typed.reading"
        class="w-200"
        :label="kind === 'zero' ? 'Reads at nothing' : 'This channel reads'"
        :unit="row.unit"
        :wrong="wrong('reading')"
      />
      <QuantityField
        v-if="kind === 'reference'"
        v-model="typed.known_to"
        class="w-200"
        label="Reference is right to ±"
        :unit="row.unit"
        :wrong="wrong('known_to')"
      />
    </div>
    <div class="d-flex flex-wrap ga-3 align-center">
      <v-text-field
        v-if="kind !== 'interval'"
        v-model="typed.note"
        label="Note"
        class="w-320"
        :error-messages="wrong('note')"
      />
      <v-btn type="submit" color="hand" variant="flat" :disabled="pending">Save check</v-btn>
      <v-btn @click="emit('cancel')">Cancel</v-btn>
    </div>
    <p v-if="whole" class="message" role="alert">{{ whole }}</p>
  </v-form>
</template>
