<script setup lang="ts">
/** Quantities of a form on paper, one under the other. */
import QuantityField from './QuantityField.vue'

export interface NumberField {
  key: string
  label: string
  unit: string
  placeholder?: string
}
defineProps<{ rows: NumberField[]; texts: Record<string, string>; wrong: Record<string, string> }>()
</script>

<template>
  <!-- eslint-disable vue/no-mutating-props -- the texts are the form's own, shared with its fields -->
  <QuantityField
    v-for="row in rows"
    :key="row.key"
    v-model="texts[row.key]"
    :label="row.label"
    :unit="row.unit"
    :placeholder="row.placeholder"
    :wrong="wrong[row.key]"
  />
  <!-- eslint-enable vue/no-mutating-props -->
</template>
