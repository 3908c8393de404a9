<script setup lang="ts">
/** A pull held against another, or against the baseline's: whether the two compare, and what a person says to it. */
import { ref } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import { useFrame } from '../../app/frame'
import ProblemNote from '../../ui/ProblemNote.vue'
import ChecksTable from './ChecksTable.vue'

const props = defineProps<{
  pull: number
  /** Number of the pull that was chosen to lay beside. */
  besideNumber: number | undefined
  comparison: Schema['ComparisonOut'] | undefined
  row: Schema['PullRow'] | null
}>()
const { mayOperate } = useFrame()
const reason = ref('')
const letIn = useAction(async (why: string) =>
  answer(
    await api.POST('/api/pulls/{pull_id}/let-in', {
      params: { path: { pull_id: props.pull } },
      body: { reason: why },
    }),
  ),
)
const shutOut = useAction(async () =>
  answer(await api.DELETE('/api/pulls/{pull_id}/let-in', { params: { path: { pull_id: props.pull } } })),
)
function sendReason() {
  letIn.mutate(reason.value, { onSuccess: () => (reason.value = '') })
}
</script>

<template>
  <section>
    <ProblemNote :error="letIn.error.value ?? shutOut.error.value" />
    <template v-if="comparison && besideNumber !== undefined">
      <h2>Compared with pull {{ besideNumber }}</h2>
      <ChecksTable :comparison="comparison" />
    </template>
    <template v-else-if="row?.comparable?.line">
      <h2 v-if="row.comparable.against">Compared with pull {{ row.comparable.against }} of the baseline</h2>
      <h2 v-else>Compared with its own session</h2>
      <p class="prose size-15" data-test="against-baseline">
        {{ row.comparable.line }}
      </p>
    </template>
    <p v-else class="prose size-15 quiet">Choose a pull to lay beside; whether the two compare shows here.</p>
    <template v-if="row?.comparable?.level === 'block'">
      <p v-if="row.comparable.let_in_reason" class="prose size-15">
        Included despite the warning: {{ row.comparable.let_in_reason }}
        <v-btn v-if="mayOperate" @click="shutOut.mutate(undefined)">Exclude again</v-btn>
      </p>
      <v-form v-else-if="mayOperate" class="d-flex ga-2 align-end mt-2" @submit.prevent="sendReason">
        <v-text-field
          v-model="reason"
          class="w-320"
          label="Not counted. Include despite the warning, because"
        />
        <v-btn type="submit">Include</v-btn>
      </v-form>
    </template>
  </section>
</template>
