<script setup lang="ts">
/** A lap, a hill or a tow, logged in the car, as the duty that is judged: time at full load by engine speed. */
import { ref } from 'vue'

import { Problem, type Schema, upload } from '../../../app/api/client'
import { useFrame } from '../../../app/frame'
import FileButton from '../../../ui/FileButton.vue'

const emit = defineEmits<{ duty: [points: number[][]] }>()
const { programme } = useFrame()
const unit = ref('')
const sentence = ref('')
const slip = ref('')
const asksUnit = ref(false)
const last = ref<File | null>(null)

async function read(file: File) {
  last.value = file
  slip.value = ''
  try {
    const found = await upload<Schema['LapDutyOut']>(
      `/api/programmes/${programme.value.id}/duty-of-log`,
      file,
      unit.value ? { speed_unit: unit.value } : {},
    )
    sentence.value = found.sentence
    emit('duty', found.points)
  } catch (caught) {
    sentence.value = ''
    slip.value = (caught as Error).message
    if (caught instanceof Problem && caught.fields.speed_unit) asksUnit.value = true
  }
}
function again() {
  if (last.value) void read(last.value)
}
</script>

<template>
  <div class="d-grid ga-2 mt-2" data-test="lap-log">
    <p class="quiet prose size-15 ma-0">
      An open file with time, and engine speed or road speed and gear; throttle where it was logged. Nothing
      of it is kept.
    </p>
    <v-select
      v-if="asksUnit"
      v-model="unit"
      label="Unit of the road speed"
      :items="['km/h', 'mph', 'm/s']"
      @update:model-value="again"
    />
    <FileButton
      label="Log of the car"
      accept=".csv,.txt,.xlsx,.parquet,.mf4"
      @chosen="([file]) => read(file!)"
      >Choose a log</FileButton
    >
    <p v-if="sentence" class="text size-15 ma-0" role="status">{{ sentence }}</p>
    <p v-if="slip" class="hand-note" role="alert">{{ slip }}</p>
  </div>
</template>
