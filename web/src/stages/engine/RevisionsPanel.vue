<script setup lang="ts">
/** The revisions of an engine, and any two side by side with what differs first. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { answer, api } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { day } from '../../ui/figures'
import FigureRow from './FigureRow.vue'
import type { Build } from './useBuild'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'

const props = defineProps<{ build: Build }>()
const emit = defineEmits<{ revision: [id: number] }>()
const revisions = computed(() => props.build.engine.revisions)
const before = ref(0)
const after = ref(0)
watch(
  () => props.build.id,
  (id) => {
    const at = revisions.value.findIndex((revision) => revision.id === id)
    after.value = id
    before.value = revisions.value[Math.max(0, at - 1)]?.id ?? id
    if (before.value === id && revisions.value[1]) after.value = revisions.value[1].id
  },
  { immediate: true },
)
const { data: against, error } = useQuery({
  queryKey: computed(() => ['against', before.value, after.value] as const),
  queryFn: async ({ queryKey: [, build_id, other_id] }) =>
    answer(
      await api.GET('/api/builds/{build_id}/against/{other_id}', {
        params: { path: { build_id, other_id } },
      }),
    ),
})
/** Figures whose amount moved; one that only lost its assumption has not. */
const moved = computed(() =>
  (against.value?.moved ?? []).filter(({ before: old, after: now }) =>
    [old?.value !== now.value, old?.low !== now.low, old?.high !== now.high].some(Boolean),
  ),
)
</script>

<template>
  <div class="pa-4 most-1180">
    <v-table class="figures">
      <thead>
        <tr>
          <th class="words">Revision</th>
          <th class="words">Why</th>
          <th class="words">Written</th>
          <th class="words">Pulls</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="revision in revisions" :key="revision.id">
          <td class="words">
            <a href="#" @click.prevent="emit('revision', revision.id)">Rev {{ revision.revision }}</a>
          </td>
          <td class="words prose size-15">{{ revision.reason || 'First description' }}</td>
          <td class="words">
            {{ day(revision.created_at) }} <span class="quiet">{{ revision.created_by }}</span>
          </td>
          <td class="words">{{ revision.used ? 'made with it, closed' : 'none, open' }}</td>
        </tr>
      </tbody>
    </v-table>
    <template v-if="revisions.length > 1">
      <div class="choice d-flex ga-4 mt-6 mb-3 mx-0">
        <v-select
          v-model="before"
          label="Compare"
          :items="
            (revisions ?? []).map((revision) => ({ value: revision.id, label: `rev ${revision.revision}` }))
          "
        />
        <v-select
          v-model="after"
          label="with"
          :items="
            (revisions ?? []).map((revision) => ({ value: revision.id, label: `rev ${revision.revision}` }))
          "
        />
      </div>
      <ProblemNote :error="error" />
      <div v-if="against" class="split" style="--first: 1.3fr; --second: 1fr">
        <div>
          <h2>What differs</h2>
          <p v-if="!against.differences.length" class="text">Nothing that is written down differs.</p>
          <v-table v-else class="figures" data-test="differences">
            <thead>
              <tr>
                <th class="words">Line</th>
                <th class="words">Rev {{ against.before.revision }}</th>
                <th class="words">Rev {{ against.after.revision }}</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="row in against.differences" :key="row.label">
                <td class="words">
                  <strong>{{ row.label }}</strong><br /><span class="quiet small">{{ row.group }}</span>
                </td>
                <td class="words">{{ row.before || '–' }}</td>
                <td class="words">{{ row.after || '–' }}</td>
              </tr>
            </tbody>
          </v-table>
          <DisclosurePanel v-if="against.same.length" :title="`${against.same.length} lines are the same`">
            <v-table class="figures">
              <tbody>
                <tr v-for="row in against.same" :key="row.label">
                  <td class="words">{{ row.label }}</td>
                  <td class="words">{{ row.before }}</td>
                </tr>
              </tbody>
            </v-table>
          </DisclosurePanel>
        </div>
        <div>
          <h2>Calculated</h2>
          <p v-if="!moved.length" class="text">No figure moves.</p>
          <FigureRow v-for="step in moved" :key="step.after.key" :shown="step.after" :step="step" />
        </div>
      </div>
    </template>
  </div>
</template>
