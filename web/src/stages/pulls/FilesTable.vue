<script setup lang="ts">
/** The files in the order in which they were run, from which drift is read: moved by hand or by the arrow keys. */
import { nextTick, ref } from 'vue'

import { useFrame } from '../../app/frame'
import LongTable from '../../ui/LongTable.vue'
import type { Batch } from './useImport'

type File = Batch['files'][number]

const props = defineProps<{
  files: Batch['files']
  /** Being read: nothing can be changed any more. */
  settled: boolean
  wrong: Record<string, string>
}>()
const emit = defineEmits<{ move: [file: number, place: number] }>()
const { programme } = useFrame()
const carried = ref<number | null>(null)
const placeOf = (id: number) => props.files.findIndex((file) => file.id === id)

const COLUMNS = [
  { key: 'place', title: 'Place', silent: true },
  { key: 'file', title: 'File', words: true, value: (file: File) => file.name },
  { key: 'rows', title: 'Rows', value: (file: File) => file.rows },
  { key: 'session', title: 'Session', words: true, value: (file: File) => file.session },
  { key: 'began', title: 'Began', words: true, value: (file: File) => file.start },
  {
    key: 'setup',
    title: 'Setup',
    words: true,
    value: (file: File) => {
      const setup = programme.value.setups.find((one) => one.id === file.setup_id)
      return setup ? `${setup.letter} ${setup.name}` : ''
    },
  },
  {
    key: 'outcome',
    title: 'So far',
    words: true,
    value: (file: File) => file.outcome || file.state_label,
  },
]

/** The row goes on under the hand that moves it: its handle has the focus wherever it went. */
function step(id: number, by: number) {
  emit('move', id, placeOf(id) + by)
  void nextTick(() => document.querySelector<HTMLElement>(`[data-file="${id}"] .handle`)?.focus())
}
function dropOn(id: number) {
  if (carried.value !== null) emit('move', carried.value, placeOf(id))
  carried.value = null
}
</script>

<template>
  <LongTable noun="file" :columns="COLUMNS" :rows="files" ordered data-test="files">
    <template #row="{ item: file, measure }">
      <tr
        :ref="measure"
        :data-file="file.id"
        :class="{ 'opacity-40': carried === file.id }"
        @dragover.prevent
        @drop.prevent="dropOn(file.id)"
      >
        <td>
          <v-btn
            v-if="file.state === 'waiting' && !settled"
            variant="text"
            class="handle py-0 px-2 quiet"
            draggable="true"
            :aria-label="`Move ${file.name}: arrow up, arrow down`"
            @dragstart="carried = file.id"
            @dragend="carried = null"
            @keydown.up.prevent="step(file.id, -1)"
            @keydown.down.prevent="step(file.id, 1)"
          >
            ≡
          </v-btn>
        </td>
        <td class="words">{{ file.name }}</td>
        <td>{{ file.rows || '–' }}</td>
        <td class="words">
          <v-text-field
            v-if="file.state === 'waiting' && !settled"
            v-model="file.session"
            :aria-label="`Session of ${file.name}`"
            class="w-110"
          />
        </td>
        <td class="words">
          <v-text-field
            v-if="file.state === 'waiting' && !settled"
            v-model="file.start"
            :aria-label="`When ${file.name} began`"
            :error-messages="wrong[`start_${file.id}`]"
            placeholder="14:05"
            class="w-150"
          />
        </td>
        <td class="words">
          <v-autocomplete
            v-if="file.state === 'waiting' && !settled"
            v-model="file.setup_id"
            :aria-label="`Setup of ${file.name}`"
            :error-messages="wrong[`setup_${file.id}`]"
            placeholder="choose…"
            :items="
              programme.setups.map((one) => ({
                value: one.id,
                label: `${one.letter} ${one.name}`,
              }))
            "
          />
        </td>
        <td class="words">
          <router-link v-if="file.pull_id" :to="{ name: 'pull', params: { pull: file.pull_id } }">{{
            file.outcome
          }}</router-link>
          <span v-else :class="{ 'text-error': file.state === 'refused' }">{{
            file.outcome || file.state_label
          }}</span>
          <span v-if="wrong[`setup_${file.id}`]" class="text-error" role="alert"> Choose its setup.</span>
        </td>
      </tr>
    </template>
  </LongTable>
</template>

<style scoped>
.handle {
  cursor: grab;
}
</style>
