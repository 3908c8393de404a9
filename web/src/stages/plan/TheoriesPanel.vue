<script setup lang="ts">
/** Explanations that compete: what each predicts of each setup, and which setup tells them apart. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { figure, signed } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import { useUnsavedEdit } from '../../ui/useUnsaved'
import SetupMark from '../../ui/setups/SetupMark.vue'

interface Row {
  name: string
  texts: Record<number, string>
}
const { programme, setup, mayOperate } = useFrame()
const queries = useQueryClient()
const key = computed(() => ['theories', programme.value.id] as const)
const { data: theories } = useQuery({
  queryKey: key,
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/theories', { params: { path: { programme_id } } })),
})
const unsaved = useUnsavedEdit<Row[]>(`theories of ${programme.value.id}`)
const editing = computed(() => unsaved.value !== null)
const saved = computed<Row[]>(() =>
  (theories.value?.theories ?? []).map((theory) => ({
    name: theory.name,
    texts: Object.fromEntries(theory.predictions.map((one) => [one.setup_id, one.text])),
  })),
)
const rows = computed(() => unsaved.value ?? saved.value)
const fields = ref<Record<string, string>>({})
const message = ref('')
const others = computed(() => programme.value.setups.filter((one) => !one.is_baseline))

function begin() {
  fields.value = {}
  message.value = ''
  const rows = saved.value.map((row) => ({ ...row, texts: { ...row.texts } }))
  while (rows.length < 2) rows.push({ name: '', texts: {} })
  unsaved.value = rows
}

async function write() {
  try {
    const written = answer(
      await api.PUT('/api/programmes/{programme_id}/theories', {
        params: { path: { programme_id: programme.value.id } },
        body: {
          theories: rows.value
            .filter((row) => row.name.trim() || Object.values(row.texts).some(Boolean))
            .map((row) => ({
              name: row.name,
              predictions: Object.entries(row.texts).map(([id, text]) => ({ setup_id: Number(id), text })),
            })),
        },
      }),
    )
    fields.value = {}
    message.value = ''
    queries.setQueryData(key.value, written)
    unsaved.value = null
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : {}
    message.value = (caught as Error).message
  }
}
const best = computed(() => theories.value?.separations.find((one) => one.pulls !== null))
</script>

<template>
  <section class="mt-7">
    <h2>Competing theories</h2>
    <p v-if="!rows.length && !editing" class="text">
      Two explanations for one thing? Write down what each predicts, and the setup that tells them apart
      shows.
    </p>
    <p v-if="best && !editing" class="text hand-edge pl-2" data-test="separation">
      {{ setup(best.setup_id).letter }} tells them apart: {{ signed(best.one_percent) }} against
      {{ signed(best.other_percent) }} %, found with {{ best.pulls }} pulls per setup.
    </p>
    <v-form v-if="rows.length || editing" @submit.prevent="write">
      <div class="overflow-x-auto">
        <v-table class="figures">
          <thead>
            <tr>
              <th class="words">Theory</th>
              <th v-for="one in others" :key="one.id"><SetupMark :position="one.position" :size="20" /> %</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(row, place) in rows" :key="place">
              <td class="words">
                <v-text-field
                  v-if="editing"
                  v-model="row.name"
                  class="w-200"
                  :aria-label="`Theory ${place + 1}`"
                  :error="Boolean(fields[`theories.${place}.name`])"
                />
                <template v-else>{{ row.name }}</template>
                <p v-if="fields[`theories.${place}.name`]" class="message">
                  {{ fields[`theories.${place}.name`] }}
                </p>
              </td>
              <td v-for="one in others" :key="one.id">
                <v-text-field
                  v-if="editing"
                  v-model="row.texts[one.id]"
                  class="number w-76"
                  :aria-label="`Theory ${place + 1} predicts of ${one.letter}`"
                  :error="Boolean(fields[`theories.${place}.${one.id}`])"
                />
                <template v-else>{{ row.texts[one.id] ?? '–' }}</template>
                <p v-if="fields[`theories.${place}.${one.id}`]" class="message">
                  {{ fields[`theories.${place}.${one.id}`] }}
                </p>
              </td>
            </tr>
          </tbody>
        </v-table>
      </div>
      <p v-if="message" class="message" role="alert">{{ message }}</p>
      <div v-if="editing" class="buttons">
        <v-btn type="submit">Save theories</v-btn>
        <v-btn :disabled="rows.length >= 4" @click="rows.push({ name: '', texts: {} })">Add theory</v-btn>
        <v-btn @click="unsaved = null">Cancel</v-btn>
      </div>
    </v-form>
    <v-table v-if="theories?.separations.length && !editing" class="figures">
      <thead>
        <tr>
          <th class="words">Setup</th>
          <th class="words">Theories</th>
          <th>They differ by, %</th>
          <th>Pulls per setup</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in theories.separations" :key="`${one.one} ${one.other} ${one.setup_id}`">
          <td class="words"><SetupMark :position="setup(one.setup_id).position" :size="20" /></td>
          <td class="words">{{ one.one }} / {{ one.other }}</td>
          <td>{{ figure(one.apart_percent) }}</td>
          <td>{{ one.pulls ?? (one.apart_percent ? 'too many' : 'not separated') }}</td>
        </tr>
      </tbody>
    </v-table>
    <v-btn v-if="mayOperate && !editing" class="mt-2" @click="begin">
      {{ rows.length ? 'Edit theories' : 'Add theories' }}
    </v-btn>
  </section>
</template>
