<script setup lang="ts">
/** What a test says so far, in one sentence; asked for by itself, so that the list need not wait for it. */
import { useQuery } from '@tanstack/vue-query'

import { answer, api } from '../../app/api/client'

const props = defineProps<{ programme: number }>()
const { data, error } = useQuery({
  queryKey: ['programmes', 'line', props.programme] as const,
  queryFn: async ({ queryKey: [, , programme_id] }) =>
    answer(
      await api.GET('/api/programmes/{programme_id}/verdict-line', { params: { path: { programme_id } } }),
    ),
  staleTime: 60_000,
})
</script>

<template>
  <span v-if="data?.line">{{ data.line }}</span>
  <span v-else-if="data || error" class="quiet">Nothing can be said yet.</span>
  <span v-else class="quiet" role="status">Judging…</span>
</template>
