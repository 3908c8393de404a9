<script setup lang="ts">
/** Jobs begun on the engine: nothing is armed until each is closed. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { clock } from '../../ui/figures'
import { choicesOf } from '../../ui/choices'
import QuantityField from '../../ui/QuantityField.vue'

const props = defineProps<{ session: number; mayOperate: boolean }>()
const queries = useQueryClient()
const key = computed(() => ['open-jobs', props.session] as const)
const { data } = useQuery({
  queryKey: key,
  queryFn: async ({ queryKey: [, session_id] }) =>
    answer(await api.GET('/api/sessions/{session_id}/open-jobs', { params: { path: { session_id } } })),
  refetchInterval: 10_000,
})
const open = computed(() => data.value?.jobs.filter((job) => job.closed_at === null) ?? [])
const kind = ref('')
const note = ref('')
const notes = reactive<Record<number, string>>({})
const message = ref('')
const fields = ref<Record<string, string>>({})
/** Of a torque sequence, where somebody counts. */
const counted = reactive({ stages: '', fasteners: '' })
type Job = Schema['OpenJobOut']
const text = (value: number | string | null | undefined) => (value == null ? '' : String(value))
const texts = (
  of: Partial<Record<'stage' | 'stages' | 'fastened' | 'fasteners', number | string | null>>,
) => ({
  stage: text(of.stage),
  stages: text(of.stages),
  fastened: text(of.fastened),
  fasteners: text(of.fasteners),
})

async function take(asked: Promise<NonNullable<typeof data.value>>) {
  try {
    await queries.cancelQueries({ queryKey: key.value })
    queries.setQueryData(key.value, await asked)
    message.value = ''
    kind.value = note.value = counted.stages = counted.fasteners = ''
    fields.value = {}
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : {}
    message.value = [(caught as Error).message, ...Object.values(fields.value)].join(' ')
  }
}
const begin = () =>
  take(
    api
      .POST('/api/sessions/{session_id}/open-jobs', {
        params: { path: { session_id: props.session } },
        body: { kind: kind.value, note: note.value, ...texts(counted) },
      })
      .then(answer),
  )
const count = (job: Job, field: 'stage' | 'fastened', value: number) =>
  take(
    api
      .PUT('/api/open-jobs/{open_job_id}/count', {
        params: { path: { open_job_id: job.id } },
        body: texts({ ...job, [field]: value }),
      })
      .then(answer),
  )
const close = (id: number) =>
  take(
    api
      .POST('/api/open-jobs/{open_job_id}/close', {
        params: { path: { open_job_id: id } },
        body: { note: notes[id] ?? '' },
      })
      .then(answer),
  )
</script>

<template>
  <section class="mt-3" data-test="open-jobs" aria-label="Open jobs on the engine">
    <ul v-if="open.length" class="plain-list pa-0 mb-2">
      <li
        v-for="job in open"
        :key="job.id"
        class="d-flex flex-wrap ga-2 align-center hand-edge on-panel size-16 px-3 py-2 mb-1"
      >
        <strong
          >{{ job.label }}<template v-if="job.reached">: {{ job.reached }}</template
          ><template v-if="job.note">: {{ job.note }}</template></strong
        >
        <span class="quiet">{{ job.owner }}, {{ clock(job.begun_at) }}</span>
        <template v-if="mayOperate">
          <v-text-field
            v-if="!job.mine"
            v-model="notes[job.id]"
            class="wide-field"
            placeholder="How do you know?"
            :aria-label="`How you know that this is done: ${job.label}`"
          />
          <template v-if="job.stages && job.stage! < job.stages">
            <v-btn @click="count(job, 'stage', job.stage! + 1)">Stage {{ job.stage! + 1 }} done</v-btn>
          </template>
          <template v-if="job.fasteners && job.fastened! < job.fasteners">
            <v-btn @click="count(job, 'fastened', job.fastened! + 1)">One more fastener</v-btn>
            <v-btn @click="count(job, 'fastened', job.fasteners)">All {{ job.fasteners }}</v-btn>
          </template>
          <v-btn @click="close(job.id)">Close this job</v-btn>
        </template>
      </li>
    </ul>
    <v-form v-if="mayOperate" class="d-flex flex-wrap ga-2" @submit.prevent="begin">
      <v-select
        v-model="kind"
        aria-label="A job is begun"
        class="w-200"
        :items="[{ value: '', label: 'A job is begun…' }, ...choicesOf(data?.kinds)]"
      />
      <template v-if="kind">
        <v-text-field
          v-model="note"
          placeholder="stage, place"
          aria-label="Note on the job"
          class="wide-field"
        />
        <template v-if="['torque', 'fasteners'].includes(kind)">
          <QuantityField
            v-if="kind === 'torque'"
            v-model="counted.stages"
            class="w-150"
            label="Stages"
            :wrong="fields.stages"
          />
          <QuantityField
            v-model="counted.fasteners"
            class="w-150"
            label="Fasteners"
            :wrong="fields.fasteners"
          />
        </template>
        <v-btn type="submit">Block running until it is closed</v-btn>
      </template>
    </v-form>
    <p v-if="message" class="message" role="alert">{{ message }}</p>
  </section>
</template>
