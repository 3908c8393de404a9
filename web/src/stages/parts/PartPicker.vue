<script setup lang="ts" generic="V extends number | string | null">
/** A field in which a part is chosen, of one slot or of all. */
import { computed } from 'vue'

import NamePicker, { type Name } from '../../ui/NamePicker.vue'
import { findParts } from './names'

const props = defineProps<{
  slotName?: string
  near?: Name<V>[]
  none?: Name<V>
  /** A part that may not be chosen, as it is the one that chooses. */
  except?: number
  /** The value of a part, where it is not its number. */
  as?: (id: number) => V
}>()
const model = defineModel<V>()
const list = computed(() => ['parts', props.slotName ?? '', props.except ?? 0])

async function find(search: string) {
  const found = await findParts(search, props.slotName)
  const names = found.rows
    .filter((row) => row.id !== props.except)
    .map((row) => ({ value: props.as ? props.as(row.id) : (row.id as V), label: row.name }))
  return { total: found.total, names }
}
</script>

<template>
  <NamePicker v-model="model" :list="list" :find="find" :near="near" :none="none" />
</template>
