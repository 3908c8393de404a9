<script setup lang="ts">
/** What the server works on for whoever is signed in: imports, odds, running orders; how far each is, and an end to it. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import { moment } from '../../ui/figures'
import PagedTable from '../../ui/PagedTable.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { usePaged } from '../../ui/usePaged'

const FOLLOWED_MS = 1000
const { search, page, sortBy, asked } = usePaged()
const { data, error, isFetching } = useQuery({
  queryKey: computed(() => ['jobs', asked.value] as const),
  queryFn: async ({ queryKey: [, query] }) => answer(await api.GET('/api/jobs', { params: { query } })),
  placeholderData: (before) => before,
  // While something is still to come.
  refetchInterval: ({ state }) =>
    state.data?.rows.some((row) => ['waiting', 'running'].includes(row.state)) && FOLLOWED_MS,
})
const stop = useAction(async (job_id: number) =>
  answer(await api.POST('/api/jobs/{job_id}/stop', { params: { path: { job_id } } })),
)
const COLUMNS = [
  { key: 'label', title: 'Work' },
  { key: 'about', title: 'About', sortable: true },
  { key: 'asked_at', title: 'Asked for', sortable: true },
  { key: 'state', title: 'State', sortable: true },
  { key: 'progress', title: 'Progress' },
  { key: 'stop', title: 'Stop' },
]
</script>

<template>
  <div class="page">
    <h1>Background work</h1>
    <p class="text">
      Your imports, odds and running orders go on when you leave their screens. What is over stays here for
      two days.
    </p>
    <ProblemNote :error="stop.error.value" />
    <PagedTable
      v-model:search="search"
      v-model:page="page"
      v-model:sort-by="sortBy"
      noun="job"
      placeholder="What it is about"
      :columns="COLUMNS"
      :rows="data?.rows"
      :total="data?.total ?? 0"
      :busy="isFetching"
      :error="error"
    >
      <template #empty>
        <v-empty-state
          title="No background work"
          text="An import of files, the odds of a plan and a search for a running order show here while they run."
        />
      </template>
      <template #row="{ item: job }">
        <tr>
          <td class="words">{{ job.label }}</td>
          <td class="words">{{ job.about }}</td>
          <td>{{ moment(job.asked_at) }}</td>
          <td class="words">
            <v-chip :text="job.state_label" :class="{ 'hand-note': job.problem }" />
          </td>
          <td class="words prose">
            <v-progress-linear
              v-if="job.state === 'running'"
              class="w-150"
              :aria-label="`${job.label}, ${job.about}`"
              :indeterminate="!job.total"
              :model-value="job.total ? (100 * job.done) / job.total : 0"
            />
            {{ job.problem || job.progress_text }}
          </td>
          <td class="text-right">
            <v-btn
              v-if="job.may_stop"
              :aria-label="`Stop ${job.label}, ${job.about}`"
              @click="stop.mutate(job.id)"
            >
              Stop
            </v-btn>
          </td>
        </tr>
      </template>
    </PagedTable>
  </div>
</template>
