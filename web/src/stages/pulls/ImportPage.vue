<script setup lang="ts">
/** Import files: give them, say which column is what once for each make, say which setup each is of, read them. */
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import { useFrame } from '../../app/frame'
import { useKeys } from '../../app/keys'
import ProblemNote from '../../ui/ProblemNote.vue'
import FilesTable from './FilesTable.vue'
import LayoutColumns from './LayoutColumns.vue'
import { useImport } from './useImport'
import WhereFields from './WhereFields.vue'

const { mayOperate } = useFrame()
const router = useRouter()
const {
  batch,
  taking,
  error,
  where,
  wrong,
  rates,
  work,
  waiting,
  layouts,
  settled,
  take,
  move,
  run,
  startOver,
} = useImport()
const STEPS = ['Files', 'Columns, setups, order', 'Read']
const step = computed(() => (!batch.value?.files.length ? 1 : settled.value || work.result.value ? 3 : 2))

useKeys([
  { key: 'b', label: 'B', does: 'Back to all pulls', press: () => void router.push({ name: 'pulls' }) },
  {
    key: 'Enter',
    label: 'Enter',
    does: 'Read the files',
    press: () => !settled.value && waiting.value.length && void run(),
  },
])
</script>

<template>
  <div class="page most-1180 d-grid ga-4">
    <header class="page-head"><h1>Import files</h1></header>
    <ProblemNote :error="error" />
    <p v-if="!mayOperate" class="text">
      You can read here. Ask the owner for the operator role to import files.
    </p>
    <template v-else>
      <v-stepper :model-value="step" alt-labels hide-actions :mobile="false" aria-hidden="true">
        <v-stepper-header>
          <template v-for="(name, at) in STEPS" :key="name">
            <v-divider v-if="at" />
            <v-stepper-item :value="at + 1" :title="name" :complete="step > at + 1" />
          </template>
        </v-stepper-header>
      </v-stepper>
      <v-file-upload
        :model-value="[]"
        multiple
        scrim="surface"
        aria-label="Files to import"
        :title="
          taking.total ? `Sending ${taking.done + 1} of ${taking.total}…` : 'Drop files here, or choose them'
        "
        browse-text="Choose files"
        divider-text="or"
        @update:model-value="(files: File | File[]) => take([files].flat())"
      />
      <p class="prose size-15 quiet">
        CSV and other tables of text, XLSX, MDF4, Parquet; samples of a sweep, or a table that is reduced
        already. Each is stored unchanged.
      </p>

      <section v-for="(layout, at) in settled ? [] : layouts" :key="layout.key" data-test="layout">
        <h2>
          {{ layout.files }} {{ layout.files === 1 ? 'file' : 'files' }} like {{ layout.example }}
          <template v-if="layout.known">, read as the last of this make</template>
        </h2>
        <p v-for="text in [...layout.doubts, ...layout.notes]" :key="text" class="hand-note mb-1">
          {{ text }}
        </p>
        <p v-if="wrong[`layout_${layout.key}`]" class="message" role="alert">
          {{ wrong[`layout_${layout.key}`] }}
        </p>
        <LayoutColumns v-model="layouts[at]!" v-model:rate="rates[layout.key]" />
      </section>

      <section v-if="batch?.files.length">
        <h2>Files, in the order in which they were run</h2>
        <p v-if="waiting.length > 1 && !settled" class="text">
          Drift is read from the running order, so the order must be right. Drag a file to its place, or press
          the arrow keys on its handle; a list with the columns file, setup, session, order and start says it
          for all of them at once: drop it beside them. Pulls of one warm engine are one session.
        </p>
        <FilesTable :files="batch.files" :settled="settled" :wrong="wrong" @move="move" />
      </section>

      <WhereFields
        v-if="waiting.length && !settled"
        v-model="where"
        class="where"
        :wrong="wrong"
        :has-figures="layouts.some((layout) => layout.is_table)"
        :has-samples="layouts.some((layout) => !layout.is_table)"
      />
      <p v-if="waiting.length && !settled" class="buttons">
        <v-btn color="hand" variant="flat" @click="run">
          Read {{ waiting.length }} {{ waiting.length === 1 ? 'file' : 'files' }} <kbd>Enter</kbd>
        </v-btn>
        <v-btn @click="startOver">Remove these files</v-btn>
      </p>
      <div v-if="work.running.value" class="d-grid ga-2 justify-items-start" role="status">
        <v-progress-linear
          aria-label="Files read"
          :model-value="work.job.value?.done ?? 0"
          :max="work.job.value?.total || 1"
        />
        {{ work.job.value?.progress_text || 'Waiting for a worker…' }}
        <v-btn @click="work.stop()">Stop</v-btn>
        <p class="quiet prose size-15">What was read by then stays.</p>
      </div>
      <p v-if="work.failure.value" class="message" role="alert">{{ work.failure.value }}</p>
      <p v-if="work.result.value" class="text" data-test="outcome">
        {{ work.result.value.read }} read, {{ work.result.value.known }} known already,
        {{ work.result.value.refused }} refused<template v-if="work.result.value.left"
          >, {{ work.result.value.left }} left</template
        >. <router-link :to="{ name: 'pulls' }">Go to the pulls</router-link>
      </p>
    </template>
  </div>
</template>
