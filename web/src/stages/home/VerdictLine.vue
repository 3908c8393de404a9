<script lang="ts">
/** One line is judged after the other: a list of them must not keep the server from whoever asks next. */
let before: Promise<unknown> = Promise.resolve()
function inTurn<T>(ask: () => Promise<T>): Promise<T> {
  const mine = before.then(ask)
  before = mine.catch(() => undefined)
  return mine
}
</script>

<script setup lang="ts">
/** What a test says so far, in one sentence; asked for by itself, so that the list need not wait for it. */
import { useQuery } from '@tanstack/vue-query'

import { answer, api } from '../../app/api/client'

const props = defineProps<{ programme: number }>()
const { data, error } = useQuery({
  queryKey: ['programmes', 'line', props.programme] as const,
  queryFn: ({ queryKey: [, , programme_id], signal }) =>
    inTurn(async () =>
      answer(
        await api.GET('/api/programmes/{programme_id}/verdict-line', {
          params: { path: { programme_id } },
          signal,
        }),
      ),
    ),
  staleTime: 60_000,
})
</script>

<template>
  <span v-if="data?.line">{{ data.line }}</span>
  <span v-else-if="data || error" class="quiet">Nothing can be said yet.</span>
  <span v-else class="quiet" role="status">Judging…</span>
</template>
