<script setup lang="ts">
/** Describe a stand, and try whether it answers before it is saved. */
import { computed, defineAsyncComponent, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useFirstFocus } from '../../ui/useFirstFocus'
import { useUnsaved } from '../../ui/useUnsaved'
import LineTrial from './LineTrial.vue'
import type { StandRow } from './queries'
import { emptyMap, type MapTyped, sentMap, typedMap } from './stand_map/standMap'

const MapEditor = defineAsyncComponent(() => import('./stand_map/MapEditor.vue'))

const props = defineProps<{ stand?: StandRow }>()
const emit = defineEmits<{ saved: []; cancel: [] }>()
const began = {
  name: props.stand?.name ?? '',
  host: props.stand?.host ?? '',
  port: String(props.stand?.port ?? 7420),
  elevation: props.stand?.elevation ?? '',
  inertia: props.stand?.inertia ?? '',
  notes: props.stand?.notes ?? '',
  worker_elsewhere: props.stand?.worker_elsewhere ?? false,
  recorder: props.stand?.recorder ?? '',
  map: (props.stand?.map ? typedMap(props.stand.map) : null) as MapTyped | null,
}
const given = useUnsaved(`stand ${props.stand?.id ?? 'that is new'}`, structuredClone(began))
const problem = ref<Problem | null>(null)
const wrong = (field: string) => problem.value?.fields[field]
const waiting = ref('')
useFirstFocus('first')
const tried = ref<Schema['TriedOut'] | null>(null)
const title = computed(() => (props.stand ? `Edit ${props.stand.name}` : 'Add a stand'))

/** What was mapped is there again when somebody goes there and back. */
let mapBefore = given.value.map
const way = ref(began.recorder || given.value.recorder ? 'recorder' : given.value.map ? 'map' : 'line')
function relink(chosen: string) {
  way.value = chosen
  mapBefore = given.value.map ?? mapBefore
  given.value.map = chosen === 'map' ? (mapBefore ?? emptyMap()) : null
}
async function attempt(what: string, act: () => Promise<void>) {
  waiting.value = what
  problem.value = null
  try {
    await act()
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    problem.value = error
  } finally {
    waiting.value = ''
  }
}
/** Given up on purpose: the next time begins anew. */
function cancel() {
  given.value = structuredClone(began)
  emit('cancel')
}
const tryLine = () =>
  attempt('try', async () => {
    tried.value = null
    tried.value = answer(
      await api.POST('/api/stands/try', { body: { host: given.value.host, port: given.value.port } }),
    )
  })
const save = () =>
  attempt('save', async () => {
    const stand_id = props.stand?.id
    const recorder = way.value === 'recorder' ? given.value.recorder : ''
    if (way.value === 'recorder' && !recorder.trim())
      throw new Problem(422, 'invalid', 'This stand cannot be saved yet: see the fields.', {
        recorder: 'write the whole path, such as /srv/recorder',
      })
    const body = { ...given.value, recorder, map: given.value.map && sentMap(given.value.map) }
    answer(
      stand_id === undefined
        ? await api.POST('/api/stands', { body })
        : await api.PUT('/api/stands/{stand_id}', { params: { path: { stand_id } }, body }),
    )
    given.value = structuredClone(began)
    emit('saved')
  })
</script>

<template>
  <v-card class="pa-4 border mb-4">
    <v-form @submit.prevent="save">
      <h2>{{ title }}</h2>
      <ProblemNote :error="problem" />
      <v-text-field ref="first" v-model="given.name" label="Stand name" :error-messages="wrong('name')" />
      <v-select
        v-if="!stand?.simulated"
        :model-value="way"
        label="How it is linked"
        :items="[
          { value: 'line', label: 'The line protocol' },
          { value: 'map', label: 'An open standard, by a map: Modbus, MQTT, CAN, OPC UA, text' },
          { value: 'recorder', label: 'No line: its recorder writes files into a folder' },
        ]"
        @update:model-value="relink"
      />
      <MapEditor
        v-if="given.map"
        v-model="given.map"
        :stand="given.name"
        :stand-id="stand?.id"
        :wrong="problem?.fields ?? {}"
      />
      <v-text-field
        v-else-if="way === 'recorder'"
        v-model="given.recorder"
        label="Folder of the recorder"
        placeholder="/srv/recorder"
        hint="On the machine that runs Torvix, or a network drive there. Each finished file becomes a pull of the open session."
        persistent-hint
        :error-messages="wrong('recorder')"
      />
      <div v-else class="pair">
        <v-text-field
          v-model="given.host"
          label="Host or address"
          placeholder="192.168.1.20"
          :error-messages="wrong('host')"
        />
        <v-text-field v-model="given.port" label="Port" :error-messages="wrong('port')" />
      </div>
      <div class="pair">
        <v-text-field
          v-model="given.elevation"
          label="Elevation (optional)"
          placeholder="1000 ft or 300 m"
          :error-messages="wrong('elevation')"
        />
        <v-text-field
          v-model="given.inertia"
          label="Inertia, if the stand sends none"
          placeholder="0.45 kg·m²"
          :error-messages="wrong('inertia')"
        />
      </div>
      <v-textarea v-model="given.notes" label="Notes (optional)" rows="2" auto-grow />
      <v-checkbox
        v-if="way === 'line'"
        v-model="given.worker_elsewhere"
        density="compact"
        hide-details
        label="Its bench worker runs on another machine (./torvix bench)"
      />
      <LineTrial v-if="tried" :tried="tried" />
      <p v-else-if="waiting === 'try'" class="quiet" role="status">
        Connecting, listening and checking the protocol…
      </p>
      <div class="d-flex ga-2">
        <v-btn type="submit" color="hand" variant="flat" :disabled="waiting !== ''">Save stand</v-btn>
        <v-btn v-if="way === 'line'" :disabled="waiting !== '' || !given.host" @click="tryLine"
          >Try the line</v-btn
        >
        <v-btn variant="text" @click="cancel">Cancel</v-btn>
      </div>
    </v-form>
  </v-card>
</template>

<style scoped>
form {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
</style>
