<script setup lang="ts">
/** Estimates that were kept of this test, each with what was measured of it since. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api, type Schema } from '../../../app/api/client'
import { useAction } from '../../../app/api/queries'
import { useFrame } from '../../../app/frame'
import { day } from '../../../ui/figures'
import ProblemNote from '../../../ui/ProblemNote.vue'

const props = defineProps<{ nature: 'inferred' | 'transferred' }>()
const { programme } = useFrame()
const { data, error } = useQuery({
  queryKey: computed(() => ['estimates', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }): Promise<Schema['EstimateOut'][]> =>
    answer(await api.GET('/api/programmes/{programme_id}/estimates', { params: { path: { programme_id } } })),
})
const kept = computed(() => (data.value ?? []).filter((one) => one.nature === props.nature))
const withdraw = useAction(async (estimate_id: number) =>
  answer(await api.DELETE('/api/estimates/{estimate_id}', { params: { path: { estimate_id } } })),
)
</script>

<template>
  <section v-if="kept.length || error" class="mt-4" data-test="kept">
    <h2>Kept</h2>
    <ProblemNote :error="error ?? withdraw.error.value" />
    <article v-for="one in kept" :key="one.id" class="mb-3">
      <p class="text mb-1">{{ one.sentence }}</p>
      <p v-if="one.outcome" class="text mb-1" data-test="outcome">{{ one.outcome }}</p>
      <p v-else class="text quiet mb-1">Not tested since.</p>
      <p class="text quiet size-15">
        {{ one.by }}, {{ day(one.at) }}. {{ one.made_from.join(' ') }}
        <v-btn
          v-if="one.may_withdraw"
          size="small"
          class="ml-2"
          :disabled="withdraw.isPending.value"
          @click="withdraw.mutate(one.id)"
          >Take back</v-btn
        >
      </p>
    </article>
  </section>
</template>
