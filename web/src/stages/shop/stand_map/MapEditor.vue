<script setup lang="ts">
/** The map of a stand that speaks an open standard: its sources, and a row for each channel with what it reads now. */
import { computed, onUnmounted, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../../app/api/client'
import FileButton from '../../../ui/FileButton.vue'
import ProblemNote from '../../../ui/ProblemNote.vue'
import ConformanceRun from './ConformanceRun.vue'
import MapCommands from './MapCommands.vue'
import MapRows from './MapRows.vue'
import MapSources from './MapSources.vue'
import { type MapTyped, sentMap, typedMap } from './standMap'
import { useMapChoices } from './useMapChoices'
import SourceDelays from './SourceDelays.vue'

const map = defineModel<MapTyped>({ required: true })
const props = defineProps<{ stand: string; standId?: number; wrong: Record<string, string> }>()
const { data: choices } = useMapChoices()
const reading = ref(false)
const tried = ref<Schema['TriedMap'] | null>(null)
const problem = ref<Problem | null>(null)
const more = ref<Record<string, string>>({})
const errors = computed(() => ({ ...props.wrong, ...more.value }))
const MOST_SILENT = 3
let gone = false

/** Again and again, until it is stopped: a hand on the throttle is seen in its row. */
async function read() {
  reading.value = true
  let silent = 0
  while (reading.value && !gone) {
    problem.value = null
    try {
      tried.value = answer(
        await api.POST('/api/stands/try-map', {
          body: { map: sentMap(map.value), stand: props.standId ?? null },
        }),
      )
    } catch (caught) {
      fail(caught)
      reading.value = false
    }
    // A stand may miss one question, as when this machine is busy; one that misses three is not there.
    silent = tried.value?.sources.every((source) => source.why) ? silent + 1 : 0
    if (silent >= MOST_SILENT) reading.value = false
  }
}
onUnmounted(() => (gone = true))

function fail(caught: unknown) {
  if (!(caught instanceof Problem)) throw caught
  problem.value = caught
  more.value = caught.fields
}
async function take(file: File) {
  problem.value = null
  more.value = {}
  try {
    const read = answer(await api.POST('/api/stands/read-map', { body: { toml: await file.text() } }))
    map.value = typedMap(read.map)
    tried.value = null
  } catch (caught) {
    fail(caught)
  }
}
async function save() {
  problem.value = null
  more.value = {}
  const body = { map: { ...sentMap(map.value), stand: props.stand || 'stand' } }
  try {
    const { toml } = answer(await api.POST('/api/stands/write-map', { body }))
    const link = document.createElement('a')
    link.href = URL.createObjectURL(new Blob([toml], { type: 'application/toml' }))
    link.download = `${props.stand || 'stand'}.toml`
    link.click()
    URL.revokeObjectURL(link.href)
  } catch (caught) {
    fail(caught)
  }
}
</script>

<template>
  <section class="d-flex flex-column ga-3" aria-label="Map" data-test="map">
    <MapSources v-model="map" :tried="tried?.sources ?? []" :errors="errors" />
    <SourceDelays v-if="map.sources.length > 1" v-model="map" :stand="stand" :stand-id="standId" />
    <div class="pair">
      <v-text-field
        v-model="map.rate_hz"
        label="Samples per second"
        inputmode="decimal"
        :error-messages="errors['map.rate_hz']"
      />
      <v-select
        v-model="map.inertia.torque"
        label="Inertia of the sweep"
        :items="[
          { value: 'unknown', label: 'Unknown' },
          { value: 'included', label: 'The stand’s torque has it' },
          { value: 'not_included', label: 'It must be added' },
        ]"
      />
    </div>
    <p v-if="errors['map.channels'] || errors.map" class="message" role="alert">
      {{ errors['map.channels'] ?? errors.map }}
    </p>
    <template v-if="choices">
      <MapRows
        v-model="map"
        part="channels"
        title="Channels"
        :choices="choices.channels"
        :tried="tried"
        :errors="errors"
      />
      <MapRows
        v-model="map"
        part="weather"
        title="Weather"
        :choices="choices.weather"
        :tried="tried"
        :errors="errors"
      />
    </template>
    <MapCommands v-model="map" :tried="tried" :errors="errors" />
    <ConformanceRun v-if="map.control" :map="map" :stand="stand" :stand-id="standId" />
    <ProblemNote :error="problem" />
    <p class="d-flex flex-wrap ga-2">
      <v-btn v-if="reading" @click="reading = false">Stop reading</v-btn>
      <v-btn v-else @click="read">Read values</v-btn>
      <FileButton accept=".toml" label="A map as a file" @chosen="([file]) => file && take(file)">
        Import map
      </FileButton>
      <v-btn @click="save">Export map</v-btn>
      <span v-if="reading" class="quiet align-self-center" role="status">Reading…</span>
    </p>
  </section>
</template>
