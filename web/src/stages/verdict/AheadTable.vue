<script setup lang="ts">
/** The chance that each setup truly makes more than each other one; of two the ranking says it already. */
import { computed } from 'vue'

import type { Schema } from '../../app/api/client'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { chance } from './words'

const props = defineProps<{ verdict: Schema['Verdict'] }>()
const { setup } = useFrame()
const ids = computed(() => [...new Set(props.verdict.ahead.map(({ one_id }) => one_id))])
const percent = (one: number, other: number) =>
  props.verdict.ahead.find((pair) => pair.one_id === one && pair.other_id === other)?.percent
</script>

<template>
  <v-table v-if="ids.length > 2" class="figures" data-test="ahead">
    <caption class="quiet">
      Chance, in %, that the row truly makes more than the column
    </caption>
    <thead>
      <tr>
        <th class="words"><span class="visually-hidden">Setup</span></th>
        <th v-for="id in ids" :key="id">
          <SetupMark :position="setup(id).position" :size="17" />
          <span class="visually-hidden">{{ setup(id).letter }}</span>
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in ids" :key="one">
        <td class="words"><SetupMark :position="setup(one).position" :size="17" /></td>
        <td v-for="other in ids" :key="other">
          {{ one === other ? '–' : chance(percent(one, other) ?? 0) }}
        </td>
      </tr>
    </tbody>
  </v-table>
</template>

<style scoped>
table {
  width: auto;
  margin: 4px 0 12px;
}
caption {
  text-align: left;
  white-space: nowrap;
}
td {
  padding: 3px 12px;
}
</style>
