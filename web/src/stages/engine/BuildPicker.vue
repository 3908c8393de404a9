<script setup lang="ts" generic="V extends number | null">
/** A field in which a revision of an engine is chosen. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import NamePicker, { type Name } from '../../ui/NamePicker.vue'

defineProps<{ none?: Name<V> }>()
const model = defineModel<V>()
const nameOf = (row: Schema['BuildName']): Name<V> => ({
  value: row.id as V,
  label: `${row.engine}, rev ${row.revision}`,
})
/** Of what is chosen, also where it is archived. */
const { data: held } = useQuery({
  queryKey: computed(() => ['build-names', model.value || 0] as const),
  queryFn: async ({ queryKey: [, id] }) =>
    answer(await api.GET('/api/build-names', { params: { query: { ids: [id] } } })).rows.map(nameOf),
  enabled: () => Boolean(model.value),
})

async function find(search: string) {
  const found = answer(await api.GET('/api/build-names', { params: { query: { search } } }))
  return { total: found.total, names: found.rows.map(nameOf) }
}
</script>

<template>
  <NamePicker v-model="model" :list="['builds']" :find="find" :near="model ? held : undefined" :none="none" />
</template>
