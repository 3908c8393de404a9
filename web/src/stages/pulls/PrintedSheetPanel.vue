<script setup lang="ts">
/** The picture that the rows are read off: how far the reading is, and which of its columns is which. */
import { computed } from 'vue'

import FileButton from '../../ui/FileButton.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { NAMES, type usePrintedSheet } from './usePrintedSheet'

const props = defineProps<{ reading: ReturnType<typeof usePrintedSheet> }>()
const { sheet, error, taking, work, open, take, turn, choose, discard } = props.reading

const failure = computed(
  () => work.failure.value || (sheet.value?.job?.state === 'failed' ? sheet.value.job.progress_text : ''),
)
const read = computed(() => Boolean(sheet.value?.width) && !work.running.value)
const columns = computed(() => [
  { value: null, label: 'Not on the sheet' },
  ...(sheet.value?.columns ?? []).map((head, at) => ({
    value: at,
    label: `${at + 1}: ${head || 'no head'}`,
  })),
])
const LABELS = { speed: 'Speed is column', torque: 'Torque is column', power: 'Power is column' }
</script>

<template>
  <section class="mb-4" data-test="printed-sheet">
    <p class="d-flex flex-wrap ga-3 align-center">
      <FileButton accept="image/*" label="Picture of a printed sheet" :loading="taking" @chosen="take">
        Read a picture
      </FileButton>
      <FileButton accept="image/*" camera label="Photograph of a printed sheet" @chosen="take">
        Take a photograph
      </FileButton>
      <template v-if="sheet">
        <v-btn variant="text" :disabled="work.running.value" @click="turn">Rotate and read again</v-btn>
        <v-btn variant="text" @click="discard">Discard picture</v-btn>
      </template>
    </p>
    <ProblemNote :error="error ?? work.error.value" />
    <p v-if="!sheet" class="prose size-15 quiet">
      A photograph or scan of a printed table fills the rows below; each figure then stands beside its
      clipping. Lay the sheet flat, in even light, and fill the picture with the table.
    </p>
    <template v-else-if="work.running.value">
      <v-progress-linear
        class="my-2"
        :model-value="(100 * (work.job.value?.done ?? 0)) / (work.job.value?.total || 1)"
        :aria-label="`Reading ${sheet.name}`"
      />
      <p class="prose size-15 d-flex ga-3 align-center" role="status">
        {{ work.job.value?.progress_text || `Waiting to read ${sheet.name}` }}
        <v-btn size="small" @click="work.stop">Stop reading</v-btn>
      </p>
    </template>
    <p v-else-if="failure" class="message" role="alert">{{ failure }}</p>
    <template v-else-if="read">
      <p class="prose size-15" role="status">
        <template v-if="!sheet.rows.length">
          The table is read, but not which column is which. Choose speed, and torque or power.
        </template>
        <template v-else>
          {{ sheet.rows.length }} lines read off
          <a :href="`/api/printed-sheets/${sheet.id}/page`" target="_blank">{{ sheet.name }}</a>.
          {{
            open.length
              ? `Check ${open.length} marked ${open.length === 1 ? 'figure' : 'figures'} before saving.`
              : 'No marked figures are left. Compare the rest with their clippings before you save.'
          }}
        </template>
      </p>
      <div class="fields-grid">
        <v-select
          v-for="name in NAMES"
          :key="name"
          :label="LABELS[name]"
          :items="columns"
          :model-value="sheet[name]"
          @update:model-value="choose(name, $event)"
        />
      </div>
    </template>
    <p v-else class="prose size-15">
      {{ sheet.name }} was not read to its end.
      <v-btn size="small" variant="text" @click="turn">Rotate and read again</v-btn>
    </p>
  </section>
</template>
