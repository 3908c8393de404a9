<script setup lang="ts">
/** The customers who may read this test with a sign-in of their own. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'

const props = defineProps<{ programme: number }>()
const path = computed(() => ({ params: { path: { programme_id: props.programme } } }))
const { data: customers } = useQuery({
  queryKey: computed(() => ['customers', props.programme] as const),
  queryFn: async () => answer(await api.GET('/api/programmes/{programme_id}/customers', path.value)),
})
const give = useAction(async (people: number[]) =>
  answer(await api.PUT('/api/programmes/{programme_id}/customers', { ...path.value, body: { people } })),
)
const given = computed(() => (customers.value ?? []).filter((one) => one.given).map((one) => one.id))
</script>

<template>
  <section v-if="customers?.length">
    <h2 class="mt-5">Customers who may read it</h2>
    <ProblemNote :error="give.error.value" />
    <v-checkbox
      v-for="one in customers"
      :key="one.id"
      :model-value="given"
      :value="one.id"
      :label="one.name"
      density="compact"
      hide-details
      @update:model-value="(people: number[] | null) => give.mutate(people ?? [])"
    />
  </section>
</template>
