<script setup lang="ts">
/**
 * A quantity as somebody types it: a number with or without its unit. What it measures in stands behind it, and what
 * the server did not understand stands under it. The text is the form's own; nothing is converted here.
 */
defineProps<{ label: string; unit?: string; placeholder?: string; wrong?: string }>()
const text = defineModel<string>({ default: '' })
</script>

<template>
  <v-text-field
    v-model="text"
    class="number"
    :label="label"
    :suffix="unit"
    :placeholder="placeholder"
    :error-messages="wrong"
    autocomplete="off"
  />
</template>
