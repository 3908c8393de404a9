<script setup lang="ts">
/** What a file of tests brings: shown, and asked about, before a job makes any of it. A dialog is of one file. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api, type Schema, upload } from '../../app/api/client'
import { refresh } from '../../app/api/queries'
import { type Job, useJob } from '../../app/api/useJob'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useFirstFocus } from '../../ui/useFirstFocus'

const props = defineProps<{ file: File | Schema['UploadOut'] }>()
const emit = defineEmits<{ close: [] }>()
/** Opened before, in a window that was closed since; maybe by somebody else: only who says so discards it. */
const earlier = props.file instanceof File ? null : props.file
const router = useRouter()
const queries = useQueryClient()
const work = useJob<{ programmes: number[]; skipped: number }>()
const found = ref<Schema['BringingOut'] | null>(null)
const name = ref('')
const focusFirst = useFirstFocus('first')
const own = ref(true)
const skip = ref(true)
const looking = ref(true)
const problem = ref<Error | null>(null)
const outcome = ref('')
let gone = false

const LABELS: Record<string, string> = {
  test: 'Question',
  engine: 'Name of the engine',
  shop: 'Behind names that are taken',
}
const things = computed(() => [...(found.value?.engines ?? []), ...(found.value?.parts ?? [])])
const same = computed(() => things.value.filter((one) => one.same))
const others = computed(() => things.value.filter((one) => one.here && !one.same))
const fresh = computed(() => things.value.filter((one) => !one.here))
const here = computed(() => (found.value?.tests ?? []).filter((test) => test.here_id !== null))
const coming = computed(() =>
  (found.value?.tests ?? []).filter((test) => test.here_id === null || !skip.value || isOne.value),
)
const isOne = computed(() => found.value?.kind === 'test')
const pulls = computed(() => coming.value.reduce((sum, test) => sum + test.pulls, 0))

async function look() {
  try {
    found.value = await (props.file instanceof File
      ? upload<Schema['BringingOut']>('/api/archives', props.file)
      : lookAgain(props.file.id))
    if (gone && !earlier) void drop()
    name.value = found.value.kind === 'shop' ? `from ${found.value.name}`.slice(0, 40) : found.value.name
  } catch (caught) {
    problem.value = caught as Error
  }
  looking.value = false
}
async function lookAgain(upload_id: number) {
  return answer(await api.GET('/api/archives/{upload_id}', { params: { path: { upload_id } } }))
}
onMounted(async () => {
  await look()
  if (found.value && earlier?.job) await follow(() => Promise.resolve(earlier.job!))
})
function bring() {
  const params = { path: { upload_id: found.value!.id } }
  const body = { name: name.value.trim(), use_own: own.value, skip_known: skip.value }
  return follow(async () => answer(await api.POST('/api/archives/{upload_id}/read', { params, body })))
}
async function follow(ask: () => Promise<Job>) {
  const read = await work.start(ask)
  if (!read?.programmes) return
  await refresh(queries)
  if (isOne.value) await router.push({ name: 'pulls', params: { id: read.programmes[0] } })
  else {
    const skipped = read.skipped ? ` ${counted(read.skipped)} skipped.` : ''
    outcome.value = `${counted(read.programmes.length)} imported.${skipped}`
  }
}
async function drop() {
  await api.DELETE('/api/archives/{upload_id}', { params: { path: { upload_id: found.value!.id } } })
}
async function close() {
  // What goes on in the background goes on; a file that was opened here and is not imported is not stored.
  if (!earlier && found.value && !work.running.value && !outcome.value) await drop()
  emit('close')
}
async function discard() {
  await drop()
  emit('close')
}
onUnmounted(() => (gone = true))
const counted = (count: number) => `${count} ${count === 1 ? 'test' : 'tests'}`
const MOST_NAMED = 6
function names(all: { name: string }[]) {
  const first = all.slice(0, MOST_NAMED).map((one) => one.name)
  return `${first.join(', ')}${all.length > MOST_NAMED ? ` and ${all.length - MOST_NAMED} more` : ''}`
}
</script>

<template>
  <v-dialog
    model-value
    max-width="560"
    aria-label="Import tests"
    @after-enter="focusFirst"
    @update:model-value="close"
  >
    <v-card class="pa-4" data-test="import-tests">
      <h2>Import {{ file.name }}</h2>
      <ProblemNote :error="problem ?? work.error.value" />
      <p v-if="looking" class="text quiet" role="status">Looking into it…</p>
      <template v-if="outcome">
        <p class="text" role="status">{{ outcome }}</p>
        <v-btn color="hand" variant="flat" class="align-self-start" @click="close">Close</v-btn>
      </template>
      <v-form v-else-if="found" @submit.prevent="bring">
        <v-text-field
          v-if="found.kind !== 'shop' || others.length || !own"
          ref="first"
          v-model="name"
          :label="LABELS[found.kind]"
          :counter="found.longest_name"
          :maxlength="found.longest_name"
          :disabled="work.running.value"
        />
        <p v-if="!coming.length" class="text">This shop has every test of this file.</p>
        <p v-else class="text">
          {{ isOne ? '' : `${counted(coming.length)} with ` }}{{ pulls }} pulls, by whoever the file says. Its
          stands do not become yours.
        </p>
        <p v-if="isOne && here.length" class="text">
          This shop has this test: “{{ here[0]!.here_question }}”. Importing makes a second one.
        </p>
        <p v-if="found.recordings_of.length" class="text">
          Some of its recordings were imported here before, in “{{ found.recordings_of.join('”, “') }}”.
          Guidelines count them once.
        </p>
        <p v-if="fresh.length" class="text">New engines and parts: {{ names(fresh) }}.</p>
        <p v-if="others.length" class="text">
          Of the same name as yours, but not the same: {{ names(others) }}. The file’s get another name.
        </p>
        <v-checkbox
          v-if="same.length"
          v-model="own"
          density="compact"
          hide-details
          :disabled="work.running.value"
          :label="`Use your own, the same in every value: ${names(same)}`"
        />
        <v-checkbox
          v-if="!isOne && here.length"
          v-model="skip"
          density="compact"
          hide-details
          :disabled="work.running.value"
          :label="`Skip ${counted(here.length)} that this shop has`"
        />
        <div v-if="work.running.value" role="status" class="mt-3">
          <v-progress-linear
            :model-value="work.job.value!.total ? (100 * work.job.value!.done) / work.job.value!.total : 0"
            :indeterminate="!work.job.value!.total"
            aria-label="Tests read"
          />
          <p class="text quiet">
            {{ work.job.value!.progress_text || 'Waiting for a worker…' }} It goes on when this is closed.
          </p>
        </div>
        <p v-if="work.failure.value" class="text text-error" role="alert">{{ work.failure.value }}</p>
        <p v-if="work.job.value?.state === 'stopped' && !outcome" class="text" role="status">
          Stopped. Nothing was imported.
        </p>
        <p class="d-flex ga-2 mt-3">
          <v-btn v-if="work.running.value" variant="outlined" @click="work.stop">Stop import</v-btn>
          <v-btn
            v-else
            type="submit"
            color="hand"
            variant="flat"
            :disabled="!coming.length || (found.kind !== 'shop' && !name.trim())"
            >{{ isOne ? 'Import test' : `Import ${counted(coming.length)}` }}</v-btn
          >
          <v-btn v-if="earlier && !work.running.value" @click="discard">Discard file</v-btn>
          <v-btn variant="text" @click="close">{{ work.running.value ? 'Close' : 'Cancel' }}</v-btn>
        </p>
      </v-form>
      <v-btn v-else-if="problem" variant="text" @click="close">Close</v-btn>
    </v-card>
  </v-dialog>
</template>
