<script setup lang="ts">
/** What the shop's guidelines expect of setups that are not pulled yet; one of them begins a prediction. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import { useFrame } from '../../app/frame'

type Prediction = Schema['GuidelinePrediction']
const props = defineProps<{ open: number[]; mayPredict: boolean }>()
const emit = defineEmits<{ take: [Prediction] }>()
const { programme, setup } = useFrame()
const { data } = useQuery({
  queryKey: computed(() => ['guidelines', 'predictions', programme.value.id] as const),
  queryFn: async ({ queryKey: [, , programme_id] }) =>
    answer(
      await api.GET('/api/programmes/{programme_id}/guideline-predictions', {
        params: { path: { programme_id } },
      }),
    ),
})
const rows = computed(() => (data.value ?? []).filter((one) => props.open.includes(one.setup_id)))
</script>

<template>
  <ul v-if="rows.length" class="plain-list pa-0" data-test="guideline-predictions">
    <li v-for="row in rows" :key="`${row.setup_id} ${row.guideline_id}`" class="py-1">
      <router-link :to="{ name: 'guideline', params: { id: row.guideline_id } }">{{
        row.statement
      }}</router-link>:
      <template v-if="row.text">
        {{ row.sentence }}
        <v-btn v-if="mayPredict" @click="emit('take', row)">Start a prediction from it</v-btn>
      </template>
      <span v-else class="quiet">{{ setup(row.setup_id).letter }}: {{ row.why_not }}</span>
    </li>
  </ul>
</template>
