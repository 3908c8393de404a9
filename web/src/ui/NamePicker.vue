<script setup lang="ts" generic="V extends string | number | null">
/**
 * A field in which one of very many is chosen: it offers the first, and finds the rest by typing. `near` are
 * offered before all others, and name the value that it has; `none` is an entry that means nothing is chosen.
 */
import { useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref, shallowReactive } from 'vue'
import LoadingLine from './LoadingLine.vue'

export interface Name<V> {
  value: V
  label: string
}
const props = defineProps<{
  /** Of the list; choosers of one list share their answers. */
  list: readonly unknown[]
  find: (search: string) => Promise<{ total: number; names: Name<V>[] }>
  near?: Name<V>[]
  none?: Name<V>
}>()
const model = defineModel<V>()
const open = ref(false)
const typed = ref('')
const first = computed(() => [...(props.none ? [props.none] : []), ...(props.near ?? [])])
/** What was offered keeps its name once it is chosen. */
const offered = shallowReactive(new Map<V, string>())
const shown = computed(
  () => first.value.find((one) => one.value === model.value)?.label ?? offered.get(model.value as V) ?? '',
)
/** Where nothing is typed the field has the name of its value in it. */
const sought = refDebounced<string>(
  computed(() => (typed.value === shown.value ? '' : (typed.value ?? ''))),
  150,
)
const { data, isFetching } = useQuery({
  queryKey: computed(() => ['names', ...props.list, sought.value] as const),
  queryFn: async ({ queryKey }) => {
    const found = await props.find(String(queryKey.at(-1)))
    found.names.forEach((one) => offered.set(one.value, one.label))
    return found
  },
  enabled: open,
  placeholderData: (before) => before,
  staleTime: 10_000,
})
const items = computed(() => {
  const words = sought.value.toLowerCase()
  const held =
    model.value !== undefined && shown.value ? [{ value: model.value, label: shown.value } as Name<V>] : []
  const found = [
    ...first.value.filter((one) => one.label.toLowerCase().includes(words)),
    ...(data.value?.names ?? []),
    ...held,
  ]
  return [...new Map(found.map((one) => [one.value, one])).values()]
})
const more = computed(() => (data.value ? data.value.total - data.value.names.length : 0))
</script>

<template>
  <v-autocomplete
    v-model="model"
    v-model:menu="open"
    v-model:search="typed"
    no-filter
    :items="items"
    :loading="isFetching"
    :no-data-text="isFetching ? 'Looking…' : 'Nothing holds this.'"
  >
    <template #loader="{ isActive }"><LoadingLine :active="isActive" /></template>
    <template v-if="more > 0" #append-item>
      <p class="quiet small px-4 py-2 ma-0">{{ more }} more: type to find them.</p>
    </template>
  </v-autocomplete>
</template>
