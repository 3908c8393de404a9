<script setup lang="ts">
/** The pulls that differ in ignition timing alone: what the last step brought, and the best setting so far. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api } from '../../app/api/client'
import { figure } from '../../ui/figures'

const props = defineProps<{ pull: { id: number } }>()
const { data } = useQuery({
  queryKey: computed(() => ['spark', props.pull.id] as const),
  queryFn: async ({ queryKey: [, pull_id] }) =>
    answer(await api.GET('/api/pulls/{pull_id}/spark-ladder', { params: { path: { pull_id } } })),
})
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
  </section>
</template>
