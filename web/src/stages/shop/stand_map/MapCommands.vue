<script setup lang="ts">
/** Where a stand takes its commands and says its state: only then, and after a run that passed, Torvix starts it. */
import { computed } from 'vue'

import type { Schema } from '../../../app/api/client'
import { COMMANDS, emptyControl, isSetPoint, LABELS, STATES, WRITTEN_AT } from './controlMap'
import { type MapTyped, PLACE, TYPES } from './standMap'

const map = defineModel<MapTyped>({ required: true })
const props = defineProps<{ tried: Schema['TriedMap'] | null; errors: Record<string, string> }>()
/** What was mapped is there again where it is switched off and on. */
let before = map.value.control
function toggle(wanted: unknown) {
  if (!wanted) before = map.value.control
  map.value.control = wanted ? (before ?? emptyControl(map.value.sources[0]?.name ?? 'stand')) : null
}
const sourceAt = computed(() =>
  Math.max(
    0,
    map.value.sources.findIndex((one) => one.name === map.value.control?.source),
  ),
)
const kind = computed(() => map.value.sources[sourceAt.value]?.kind ?? 'modbus')
const place = computed(() => PLACE[kind.value])
const written = computed(() => WRITTEN_AT[kind.value])
const offers = computed(() => props.tried?.sources[sourceAt.value]?.offers ?? [])
const places = computed(() => [...new Set(offers.value.map((one) => one.place))])
const error = (at: string) => props.errors[`map.control.${at}`]
const choices = (all: string[]) => all.map((one) => ({ value: one, label: one }))
const read = computed(() => props.tried?.rows.find((one) => one.part === 'control'))
const meant = computed(() => {
  const raw = read.value?.raw
  if (raw === null || raw === undefined) return ''
  const state = STATES.find((name) => map.value.control?.state[name]?.split(/[;\s]+/).includes(String(raw)))
  return state ? LABELS[state].toLowerCase() : 'no state that is named here'
})
</script>

<template>
  <section aria-label="Commands" data-test="map-commands" class="d-flex flex-column ga-2">
    <h3 class="mb-0">Commands</h3>
    <v-checkbox
      :model-value="Boolean(map.control)"
      label="Torvix arms, starts and aborts this stand"
      hide-details
      @update:model-value="toggle"
    />
    <p v-if="!map.control" class="text quiet">
      The stand only reports: pulls are started and stopped at its own console, and its wired stop is what
      stops it.
    </p>
    <template v-else>
      <p class="text quiet my-0">
        Until a conformance run has passed with this very map the stand only reports. Its own limits, its own
        watchdog and its wired stop stay in force, and come first.
      </p>
      <p v-if="errors['map.control']" class="message" role="alert">{{ errors['map.control'] }}</p>
      <div class="fields-grid align-end">
        <v-select
          v-if="map.sources.length > 1"
          v-model="map.control.source"
          label="Source of the commands"
          :items="choices(map.sources.map((one) => one.name ?? ''))"
        />
        <v-text-field
          v-model="map.control.watchdog_s"
          label="Watchdog: without a heartbeat it stops after, s"
          :error-messages="error('watchdog_s')"
        />
      </div>
      <div class="overflow-x-auto">
        <v-table class="figures">
          <thead>
            <tr>
              <th class="words">Command</th>
              <th class="words">Where</th>
              <th class="words">Writes</th>
              <th class="words">After 0.2 s</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="name in COMMANDS" :key="name">
              <td class="words">{{ LABELS[name] }}</td>
              <td class="words">
                <span class="d-flex ga-1">
                  <v-combobox
                    v-model="map.control.commands[name][written.key]"
                    :aria-label="`${written.label} of ${LABELS[name]}`"
                    :placeholder="kind === 'text' ? `${name.toUpperCase()} {value}` : written.label"
                    :items="kind === 'text' ? [] : places"
                    :error-messages="error(`${name}.${written.key}`) ?? error(`${name}.source`)"
                    :class="kind === 'modbus' ? 'w-110' : 'w-320'"
                  />
                  <v-select
                    v-if="kind === 'modbus'"
                    :model-value="map.control.commands[name].table ?? 'holding'"
                    :aria-label="`Registers of ${LABELS[name]}`"
                    :items="choices(['holding', 'coil'])"
                    class="w-110"
                    @update:model-value="(table: string) => (map.control!.commands[name].table = table)"
                  />
                  <v-select
                    v-if="kind === 'modbus' && map.control.commands[name].table !== 'coil'"
                    :model-value="map.control.commands[name].type ?? 'uint16'"
                    :aria-label="`Type of ${LABELS[name]}`"
                    :items="choices(TYPES)"
                    class="w-110"
                    @update:model-value="(type: string) => (map.control!.commands[name].type = type)"
                  />
                  <v-text-field
                    v-if="kind === 'mqtt'"
                    v-model="map.control.commands[name].text"
                    :aria-label="`Payload of ${LABELS[name]}`"
                    placeholder="{value}"
                    class="w-150"
                  />
                </span>
              </td>
              <td class="words">
                <v-text-field
                  v-if="isSetPoint(name)"
                  v-model="map.control.commands[name].scale"
                  :aria-label="`Scale of ${LABELS[name]}`"
                  placeholder="scale 1"
                  :error-messages="error(`${name}.scale`)"
                  class="w-110"
                />
                <v-text-field
                  v-else
                  v-model="map.control.commands[name].value"
                  :aria-label="`Value of ${LABELS[name]}`"
                  placeholder="1"
                  :error-messages="error(`${name}.value`)"
                  class="w-110"
                />
              </td>
              <td class="words">
                <v-text-field
                  v-if="!isSetPoint(name)"
                  v-model="map.control.commands[name].release"
                  :aria-label="`Value after ${LABELS[name]}`"
                  :placeholder="name === 'watchdog' ? '0' : 'stays'"
                  :error-messages="error(`${name}.release`)"
                  class="w-110"
                />
              </td>
            </tr>
          </tbody>
        </v-table>
      </div>
      <h4 class="mb-0">State of the stand</h4>
      <p v-if="error('state')" class="message" role="alert">{{ error('state') }}</p>
      <div class="fields-grid align-end">
        <v-combobox
          v-model="map.control.state[place.key]"
          :label="place.label"
          :items="places"
          :error-messages="error(`state.${place.key}`) ?? error('state.source')"
        />
        <v-text-field v-if="kind === 'mqtt'" v-model="map.control.state.path" label="Path" />
        <v-select
          v-if="kind === 'modbus'"
          :model-value="map.control.state.type ?? 'uint16'"
          label="Type"
          :items="choices(TYPES)"
          @update:model-value="(type: string) => (map.control!.state.type = type)"
        />
        <v-text-field
          v-for="(name, at) in STATES"
          :key="name"
          v-model="map.control.state[name]"
          :label="`${LABELS[name]}, number`"
          :placeholder="String(at)"
          :error-messages="error(`state.${name}`)"
        />
      </div>
      <p v-if="read" class="quiet" data-test="reads-state" role="status">
        {{ read.raw === null ? `State: ${read.why}.` : `It reads ${read.raw}: ${meant}.` }}
      </p>
    </template>
  </section>
</template>
