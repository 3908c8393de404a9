<script setup lang="ts">
/** Where a stand is read: one source or several, each by one standard, with how it is reached and why it is not. */
import type { Schema } from '../../../app/api/client'
import FileButton from '../../../ui/FileButton.vue'
import { FIELDS, KINDS, type MapTyped } from './standMap'
import type { Kind } from './typed'

const map = defineModel<MapTyped>({ required: true })
const props = defineProps<{ tried: Schema['TriedSource'][]; errors: Record<string, string> }>()

function add() {
  const taken = map.value.sources.map((one) => one.name)
  const name = ['stand', 'engine computer', 'weather station'].find((one) => !taken.includes(one))
  map.value.sources.push({ kind: 'modbus', name: name ?? `source ${taken.length + 1}` } as never)
}
/** Another standard is reached in another way: only the name stays. */
function rekind(at: number, kind: Kind) {
  map.value.sources[at] = { kind, name: map.value.sources[at]!.name! } as never
}
const error = (at: number, key: string) => props.errors[`map.sources.${at}.${key}`]
const usual = (field: { key: string; choices?: string[] }) =>
  ({ parity: 'E', over: 'tcp', decimal: '.' })[field.key]
</script>

<template>
  <fieldset v-for="(source, at) in map.sources" :key="at" class="border pa-3" :data-test="`source-${at}`">
    <legend class="px-1">{{ map.sources.length > 1 ? `Source ${at + 1}` : 'Source' }}</legend>
    <div class="fields-grid">
      <v-select
        :model-value="source.kind"
        label="Standard"
        :items="KINDS"
        @update:model-value="(kind: Kind) => rekind(at, kind)"
      />
      <v-text-field v-if="map.sources.length > 1" v-model="source.name" label="Source name" />
      <v-text-field
        v-if="map.sources.length > 1"
        v-model="source.delay_s"
        label="Lags behind that of rpm by, s"
        placeholder="0"
        :error-messages="error(at, 'delay_s')"
      />
      <template v-for="field in FIELDS[source.kind]" :key="field.key">
        <v-select
          v-if="field.choices"
          :model-value="source[field.key] ?? usual(field)"
          :label="field.label"
          :items="field.choices.map((one) => ({ value: one, label: one }))"
          :error-messages="error(at, field.key)"
          @update:model-value="(value: string) => (source[field.key] = value)"
        />
        <v-text-field
          v-else
          v-model="source[field.key]"
          :label="field.label"
          :placeholder="field.hint"
          :type="field.key === 'password' ? 'password' : 'text'"
          :error-messages="error(at, field.key)"
        />
      </template>
    </div>
    <p v-if="source.kind === 'can'" class="d-flex align-center ga-2 mt-2">
      <FileButton
        accept=".dbc"
        label="DBC file of the bus"
        @chosen="async ([file]) => file && (source.dbc = await file.text())"
      >
        Choose DBC file
      </FileButton>
      <span class="quiet">{{ source.dbc ? `${source.dbc.split('\n').length} lines` : 'none yet' }}</span>
    </p>
    <p v-if="errors[`map.sources.${at}`] || error(at, 'dbc')" class="message" role="alert">
      {{ errors[`map.sources.${at}`] ?? `The DBC file ${error(at, 'dbc')}` }}
    </p>
    <p v-if="tried[at]?.why" class="message" role="alert">{{ tried[at]!.why }}.</p>
    <v-btn v-if="map.sources.length > 1" variant="text" class="mt-2" @click="map.sources.splice(at, 1)">
      Remove source
    </v-btn>
  </fieldset>
  <p><v-btn @click="add">Add source</v-btn></p>
</template>
