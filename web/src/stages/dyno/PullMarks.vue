<script setup lang="ts">
/** While a pull runs: one key, or one large button for gloves, marks what was noticed at the speed of that moment. */
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'

import { answer, api } from '../../app/api/client'
import { useKeys } from '../../app/keys'
import type { PullMark } from '../../ui/charts/echarts'

const props = defineProps<{
  session: number
  pull: number
  /** The speed shown, rpm; none while the stand sends none. */
  rpm: number | null
}>()
const MARKS = [
  { key: 's', kind: 'heard', label: 'Sound' },
  { key: 'f', kind: 'seen', label: 'Flash' },
  { key: 'm', kind: 'smelt', label: 'Smell' },
]
/** Marks made on this screen, each with its pull, for the chart. */
const made = defineModel<(PullMark & { pull: number })[]>({ required: true })
const queries = useQueryClient()
/** What could not be written yet is tried again: nobody presses twice in a pull. */
const { mutate, isPaused, failureCount } = useMutation({
  mutationFn: async (mark: { kind: string; pull_id: number; session_id: number; rpm: number }) =>
    answer(
      await api.POST('/api/sessions/{session_id}/notes', {
        params: { path: { session_id: mark.session_id } },
        body: { kind: mark.kind, text: '', pull_id: mark.pull_id, rpm: mark.rpm },
      }),
    ),
  retry: 30,
  retryDelay: 2000,
  onSuccess: () => queries.invalidateQueries({ queryKey: ['notes'] }),
})
const said = ref('')
function mark({ kind, label }: (typeof MARKS)[number]) {
  if (props.rpm === null) return
  const rpm = Math.round(props.rpm)
  made.value = [...made.value, { rpm, label, pull: props.pull }]
  said.value = `${label} at ${rpm} rpm`
  mutate({ kind, pull_id: props.pull, session_id: props.session, rpm })
}
useKeys(
  MARKS.map((one) => ({
    key: one.key,
    label: one.key.toUpperCase(),
    does: `Mark ${one.label.toLowerCase()} in the pull that runs`,
    press: () => mark(one),
  })),
)
</script>

<template>
  <section class="d-flex flex-wrap ga-2 align-center my-2" data-test="marks" aria-label="Mark in the pull">
    <v-btn v-for="one in MARKS" :key="one.key" size="large" :disabled="rpm === null" @click="mark(one)">
      {{ one.label }} <kbd class="ml-2">{{ one.key.toUpperCase() }}</kbd>
    </v-btn>
    <span class="prose size-16" role="status">
      {{ said }}<template v-if="isPaused || failureCount">, not saved yet: tried again</template>
    </span>
  </section>
</template>
