<script setup lang="ts">
/** Which column of a make of file is what: said once, remembered for the next file like it. */
import type { Layout } from './useImport'
import { useImportChoices } from './where'

const layout = defineModel<Layout>({ required: true })
/** Samples in a second, as typed, where the file has no time. */
const rate = defineModel<string | undefined>('rate')
const { data: choices } = useImportChoices()

/** A channel that is not among the choices, so that it can still be seen. */
const unlisted = (channel: string) =>
  channel && !choices.value?.channels.some((one) => one.key === channel)
    ? [{ value: channel, label: channel }]
    : []
const unitsOf = (channel: string) => choices.value?.channels.find((one) => one.key === channel)?.units ?? []
function rechannel(column: Layout['columns'][number], channel: string) {
  column.channel = channel
  if (!unitsOf(channel).includes(column.mapped_unit)) column.mapped_unit = unitsOf(channel)[0] ?? column.unit
}
const needsRate = (one: Layout) => !one.is_table && !one.columns.some((column) => column.channel === 'time')
</script>

<template>
  <div>
    <v-checkbox v-model="layout.is_table" label="A table that is reduced already, one row for each speed" />
    <v-text-field
      v-if="needsRate(layout)"
      v-model="rate"
      label="No time column: samples per second"
      inputmode="decimal"
      class="w-200"
    />
    <div class="overflow-x-auto">
      <v-table class="figures">
        <thead>
          <tr>
            <th class="words">Column</th>
            <th class="words">First rows</th>
            <th>Lowest</th>
            <th>Highest</th>
            <th class="words">Is</th>
            <th class="words">In</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="column in layout.columns" :key="column.name" :class="{ 'opacity-60': !column.channel }">
            <td class="words">
              {{ column.name }} <span class="quiet">{{ column.unit }}</span>
            </td>
            <td class="words quiet">{{ column.first.join(' ') }}</td>
            <td>{{ column.low }}</td>
            <td>{{ column.high }}</td>
            <td class="words">
              <v-autocomplete
                :model-value="column.channel"
                :aria-label="`What ${column.name} is`"
                :items="[
                  { value: '', label: 'ignore' },
                  ...(choices?.channels ?? []).map((one) => ({ value: one.key, label: one.name })),
                  ...unlisted(column.channel),
                ]"
                @update:model-value="rechannel(column, $event)"
              />
            </td>
            <td class="words">
              <v-select
                v-if="unitsOf(column.channel).length"
                v-model="column.mapped_unit"
                :aria-label="`Unit of ${column.name}`"
                placeholder="choose…"
                :items="unitsOf(column.channel).map((unit) => ({ value: unit, label: unit }))"
              />
              <template v-else>{{ column.mapped_unit }}</template>
            </td>
          </tr>
        </tbody>
      </v-table>
    </div>
  </div>
</template>
