<script setup lang="ts">
/** Numbers of a form on paper: label, field, unit, and the message under a field that is wrong. */
export interface NumberField {
  key: string
  label: string
  unit: string
  placeholder?: string
}
defineProps<{ rows: NumberField[]; texts: Record<string, string>; wrong: Record<string, string> }>()
</script>

<template>
  <template v-for="row in rows" :key="row.key">
    <label>
      <span>{{ row.label }}</span>
      <span>
        <!-- eslint-disable vue/no-mutating-props -- the texts are the form's own, shared with its fields -->
        <input
          v-model="texts[row.key]"
          class="number"
          :aria-label="row.label"
          :placeholder="row.placeholder"
          :aria-invalid="Boolean(wrong[row.key])"
        />
        <!-- eslint-enable vue/no-mutating-props -->
        <span class="quiet unit">{{ row.unit }}</span>
      </span>
    </label>
    <p v-if="wrong[row.key]" class="message">{{ wrong[row.key] }}</p>
  </template>
</template>
