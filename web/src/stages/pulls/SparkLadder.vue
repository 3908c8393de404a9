<script setup lang="ts">
/** The pulls that differ in ignition timing alone: the last step, the best so far, what comes next, what is held. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import { day, figure } from '../../ui/figures'
import QuantityField from '../../ui/QuantityField.vue'

const props = withDefaults(defineProps<{ pull: { id: number }; mayOperate?: boolean }>(), {
  mayOperate: false,
})
const queries = useQueryClient()
const key = computed(() => ['spark', props.pull.id] as const)
const { data } = useQuery({
  queryKey: key,
  queryFn: async ({ queryKey: [, pull_id] }) =>
    answer(await api.GET('/api/pulls/{pull_id}/spark-ladder', { params: { path: { pull_id } } })),
})
const bounds = reactive({ step: '', margin: '', limit: '' })
watch(
  data,
  (fresh) => fresh && Object.assign(bounds, { step: fresh.step, margin: fresh.margin, limit: fresh.limit }),
  {
    immediate: true,
  },
)
const decided = reactive({ held: '', reason: '' })
const fields = ref<Record<string, string>>({})
const message = ref('')
async function take(asked: Promise<Schema['SparkLadderOut']>) {
  try {
    queries.setQueryData(key.value, await asked)
    fields.value = {}
    message.value = ''
    return true
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : {}
    message.value = caught instanceof Error ? caught.message : String(caught)
    return false
  }
}
const path = () => ({ params: { path: { pull_id: props.pull.id } } })
const bound = () =>
  take(api.PUT('/api/pulls/{pull_id}/spark-bounds', { ...path(), body: { ...bounds } }).then(answer))
async function decide() {
  const asked = api
    .POST('/api/pulls/{pull_id}/spark-decisions', { ...path(), body: { ...decided } })
    .then(answer)
  if (await take(asked)) decided.held = decided.reason = ''
}
</script>

<template>
  <section v-if="data?.rungs.length" class="mt-3" aria-label="Ignition timing" data-test="spark">
    <p v-for="line in data.sentences" :key="line" class="prose size-16 mb-1">{{ line }}</p>
    <v-table class="figures" aria-label="Ignition timing">
      <thead>
        <tr>
          <th>Pull</th>
          <th>Timing, °</th>
          <th>Mean torque, {{ data.torque_unit }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="rung in data.rungs" :key="rung.number">
          <td>{{ rung.number }}</td>
          <td>{{ figure(rung.degrees) }}</td>
          <td>{{ figure(rung.torque) }}</td>
        </tr>
      </tbody>
    </v-table>
    <p v-for="one in data.decisions" :key="one.at" class="prose size-15 my-1">
      {{ one.text }} <span class="quiet">{{ one.by }}, {{ day(one.at) }}</span>
    </p>
    <DisclosurePanel
      v-if="mayOperate"
      class="mt-2"
      title="Step, margin, limit; hold a timing"
      data-test="spark-rule"
    >
      <v-form class="d-flex flex-wrap ga-2 align-center" @submit.prevent="bound">
        <QuantityField v-model="bounds.step" class="w-110" label="Step" unit="°" :wrong="fields.step" />
        <QuantityField
          v-model="bounds.margin"
          class="w-150"
          label="Back from a knock"
          unit="°"
          :wrong="fields.margin"
        />
        <QuantityField
          v-model="bounds.limit"
          class="w-150"
          label="Never past"
          unit="°"
          placeholder="no limit"
          :wrong="fields.limit"
        />
        <v-btn type="submit">Save steps</v-btn>
      </v-form>
      <v-form class="d-flex flex-wrap ga-2 align-center mt-2" @submit.prevent="decide">
        <QuantityField v-model="decided.held" class="w-110" label="Hold" unit="°" :wrong="fields.held" />
        <v-text-field
          v-model="decided.reason"
          class="w-320"
          label="Reason: what is left on the table, and why"
          :error-messages="fields.reason"
        />
        <v-btn type="submit">Record decision</v-btn>
      </v-form>
      <p v-if="message" class="message" role="alert">{{ message }}</p>
    </DisclosurePanel>
  </section>
</template>
