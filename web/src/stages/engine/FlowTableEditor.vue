<script setup lang="ts">
/** The flow bench table of one port: lift against flow at a stated depression. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { day, figure } from '../../ui/figures'
import type { Build } from './useBuild'

const props = defineProps<{ build: Build; side: 'intake' | 'exhaust'; readonly: boolean }>()
const queries = useQueryClient()
const table = computed(() => props.build.flow_tables.find((known) => known.side === props.side))
const editing = ref(false)
const depression = ref('')
const how = ref('')
const rows = reactive<string[][]>([])
const fields = ref<Record<string, string>>({})
const error = ref('')
const units = computed(() => props.build.flow_units)

function begin() {
  depression.value = table.value?.depression ?? props.build.flow_depression
  how.value = table.value?.how ?? ''
  rows.splice(0, rows.length, ...(table.value?.rows ?? []).map((row) => [...row]))
  while (rows.length < 4) rows.push(['', ''])
  fields.value = {}
  error.value = ''
  editing.value = true
}
watch(
  () => props.build.id,
  () => (editing.value = false),
)

async function save() {
  const filled = rows.filter(([lift, flow]) => lift?.trim() || flow?.trim())
  try {
    const changed = answer(
      await api.PUT('/api/builds/{build_id}/flow/{side}', {
        params: { path: { build_id: props.build.id, side: props.side } },
        body: {
          depression: depression.value,
          rows: filled.map(([lift = '', flow = '']) => ({ lift, flow })),
          origin: 'measured',
          how: how.value,
        },
      }),
    )
    queries.setQueryData(['build', changed.id], changed)
    editing.value = false
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : {}
    error.value = (caught as Error).message
  }
}

function wrong(row: number, cell: 'lift' | 'flow'): string {
  return fields.value[`rows.${row}.${cell}`] ?? ''
}
</script>

<template>
  <div class="flow" :data-test="`flow-${side}`">
    <h2>{{ side === 'intake' ? 'Intake' : 'Exhaust' }} port flow</h2>
    <v-form v-if="editing" @submit.prevent="save">
      <p v-if="error" class="message mt-0 mb-1 mx-0" role="alert">{{ error }}</p>
      <v-text-field
        v-model="depression"
        :label="`Depression, ${units[2]}`"
        :error-messages="fields.depression"
      />
      <div class="row d-grid ga-2 my-1 mx-0 quiet">
        <span>Lift, {{ units[0] }}</span
        ><span>Flow, {{ units[1] }}</span>
      </div>
      <template v-for="(row, number) in rows" :key="number">
        <div class="row d-grid ga-2 my-1 mx-0">
          <v-text-field
            v-model="row[0]"
            class="number w-110"
            :aria-label="`Lift ${number + 1}`"
            :error="Boolean(wrong(number, 'lift'))"
          />
          <v-text-field
            v-model="row[1]"
            class="number w-110"
            :aria-label="`Flow ${number + 1}`"
            :error="Boolean(wrong(number, 'flow'))"
          />
        </div>
        <p v-if="wrong(number, 'lift') || wrong(number, 'flow')" class="message mt-0 mb-1 mx-0">
          {{ wrong(number, 'lift') || wrong(number, 'flow') }}
        </p>
      </template>
      <v-link class="quiet" @click="rows.push(['', ''])">Add row</v-link>
      <v-text-field
        v-model="how"
        label="Bench"
        class="words text-left"
        placeholder="whose, with what adapter"
      />
      <div class="buttons">
        <v-btn type="submit" color="hand" variant="flat">Save</v-btn>
        <v-btn @click="editing = false">Cancel</v-btn>
      </div>
    </v-form>
    <template v-else-if="table">
      <v-table class="figures">
        <thead>
          <tr>
            <th>Lift<br />{{ units[0] }}</th>
            <th>At {{ table.depression }} {{ table.depression_unit }}<br />{{ units[1] }}</th>
            <th>At 28 inH2O<br />{{ units[1] }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, number) in table.rows" :key="number">
            <td v-for="cell in row" :key="cell">{{ cell }}</td>
            <td>{{ figure(table.at_28.rows[number]?.[1], 1) }}</td>
          </tr>
        </tbody>
      </v-table>
      <p class="quiet small">{{ table.origin }}, {{ table.by }}, {{ day(table.at) }}. {{ table.how }}</p>
      <v-link v-if="!readonly" class="quiet" @click="begin">Edit…</v-link>
    </template>
    <p v-else class="quiet">
      No table.
      <v-link v-if="!readonly" class="text-decoration-underline" @click="begin"> Add flow table… </v-link>
    </p>
  </div>
</template>

<style scoped>
.flow {
  margin-top: 16px;
}
.row {
  grid-template-columns: 110px 110px;
}
.words {
  width: 260px;
}
label {
  display: block;
  margin: 6px 0;
}
</style>
