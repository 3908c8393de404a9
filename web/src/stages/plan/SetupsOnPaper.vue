<script setup lang="ts">
/** What each setup changes of the engine on paper, against the baseline, and what is to be measured anew for it. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { letterOf } from '../../ui/setups/marks'
import SetupMark from '../../ui/setups/SetupMark.vue'

const props = defineProps<{ programme: number; plan: Schema['PlanOut'] }>()
/** Place of the setup that the others are held against. */
const against = ref(0)
const { data, error } = useQuery({
  queryKey: computed(() => ['on-paper', props.programme, against.value, props.plan.versions.length] as const),
  queryFn: async ({ queryKey: [, programme_id, place] }) =>
    answer(
      await api.GET('/api/programmes/{programme_id}/setups-on-paper', {
        params: { path: { programme_id }, query: { against: place } },
      }),
    ),
  placeholderData: (before) => before,
})
const rows = computed(() =>
  (data.value?.setups ?? []).map((one) => ({
    ...one,
    position: props.plan.positions[one.place]!,
    name: props.plan.draft.setups[one.place]?.name ?? '',
  })),
)
const choices = computed(() =>
  props.plan.draft.setups.map((setup, place) => ({
    value: place,
    label: `${letterOf(props.plan.positions[place] ?? 0)} ${setup.name}`,
  })),
)
const base = computed(() => letterOf(props.plan.positions[0] ?? 0))
</script>

<template>
  <ProblemNote :error="error" />
  <section v-if="rows.length" class="mt-6" data-test="on-paper">
    <h2>The engine on paper</h2>
    <v-select v-model="against" class="w-320 mb-3" label="Against" :items="choices" data-test="against" />
    <div v-for="row in rows" :key="row.place" class="mb-3">
      <h3 class="d-flex ga-1 align-center ink size-16">
        <SetupMark :position="row.position" /> {{ row.name }}
      </h3>
      <p class="prose size-15">{{ row.differs.join('; ') || 'Nothing differs.' }}</p>
      <ul v-if="row.moved.length" class="prose size-15 pl-4">
        <li v-for="line in row.moved" :key="line">{{ line }}</li>
      </ul>
      <p v-else class="prose size-15">No calculated figure changes.</p>
      <p v-if="row.unknown.length" class="prose size-15 hand-edge pl-2">
        To be measured for this setup, what is written down belongs to {{ base }}:
        {{ row.unknown.join(', ') }}.
      </p>
    </div>
  </section>
</template>
