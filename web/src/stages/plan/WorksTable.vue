<script setup lang="ts">
/** What changing each row of the matrix takes, and what lies above it. */
import { ref } from 'vue'

import { SETTING } from './draft'
import type { PlanDraft } from './usePlanDraft'

const props = defineProps<{
  plan: PlanDraft
  label: (key: string) => string
  /** On how many changes by the stopwatch the usual minutes of a row rest. */
  timed: (key: string) => number
}>()
const { draft, fields } = props.plan
const showWork = ref(false)

function above(row: string, other: string): boolean {
  return draft.rows.find((each) => each.key === row)!.under?.includes(other) ?? false
}

function toggle(row: string, other: string) {
  const found = draft.rows.find((each) => each.key === row)!
  found.under = above(row, other) ? found.under.filter((key) => key !== other) : [...found.under, other]
}
</script>

<template>
  <div>
    <v-link class="text-decoration-underline" :aria-expanded="showWork" @click="showWork = !showWork">
      {{ showWork ? 'Hide' : 'Show' }} what changing a row takes
    </v-link>
    <template v-for="(row, index) in draft.rows" :key="row.key">
      <p v-if="fields[`rows.${index}.under`]" class="message" role="alert">
        {{ fields[`rows.${index}.under`] }}
      </p>
    </template>
    <v-table v-if="showWork" class="figures work w-auto mt-2">
      <thead>
        <tr>
          <th class="words">Row</th>
          <th>Take off, min</th>
          <th>Put on, min</th>
          <th class="words">Remove first</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, index) in draft.rows" :key="row.key">
          <th class="words" scope="row">
            {{ label(row.key) }}
            <span v-if="timed(row.key)" class="quiet">by the stopwatch, {{ timed(row.key) }}×</span>
          </th>
          <td v-for="key in ['remove', 'install'] as const" :key="key">
            <v-text-field
              v-model="row[key]"
              class="number w-60"
              :aria-label="`${key === 'remove' ? 'Take off' : 'Put on'} ${label(row.key)}, minutes`"
              :error="Boolean(fields[`rows.${index}.${key}`])"
            />
            <p v-if="fields[`rows.${index}.${key}`]" class="message">{{ fields[`rows.${index}.${key}`] }}</p>
          </td>
          <td class="words">
            <div class="d-flex flex-wrap gc-3">
              <v-checkbox
                v-for="other in draft.rows!.filter(
                  (each) => each.key !== row.key && !each.key.startsWith(SETTING),
                )"
                :key="other.key"
                class="flex-0-0"
                :label="label(other.key)"
                :model-value="above(row.key, other.key)"
                @update:model-value="toggle(row.key, other.key)"
              />
            </div>
          </td>
        </tr>
      </tbody>
    </v-table>
  </div>
</template>
