<script setup lang="ts">
/** Fields for the lines of a kind of part, all at once, each with its message. */
import type { Schema } from '../api/client'

defineProps<{ lines: Schema['LineOut'][]; fields: Record<string, string> }>()
const texts = defineModel<Record<string, string>>({ required: true })
</script>

<template>
  <div>
    <template v-for="line in lines" :key="line.key">
      <label :title="line.hint || undefined">
        <span>{{ line.label }}</span>
        <select v-if="line.kind === 'choice'" v-model="texts[line.key]">
          <option value="">–</option>
          <option v-for="choice in line.choices" :key="choice.value" :value="choice.value">
            {{ choice.label }}
          </option>
        </select>
        <input
          v-else-if="line.kind === 'words'"
          v-model="texts[line.key]"
          :aria-invalid="Boolean(fields[line.key])"
        />
        <span v-else>
          <input v-model="texts[line.key]" class="number" :aria-invalid="Boolean(fields[line.key])" />
          <span class="quiet"> {{ line.unit }}</span>
        </span>
      </label>
      <p v-if="fields[line.key]" class="message" role="alert">{{ fields[line.key] }}</p>
    </template>
  </div>
</template>

<style scoped>
label {
  display: grid;
  grid-template-columns: 190px 1fr;
  align-items: center;
  margin: 4px 0;
}
input,
select {
  font: inherit;
  color: inherit;
  border: 1px solid var(--quiet);
  background: var(--ground);
  padding: 4px 8px;
}
input[aria-invalid='true'] {
  border-color: var(--stop);
}
.number {
  width: 120px;
  text-align: right;
}
.message {
  font-family: var(--text);
  font-size: 15px;
  color: var(--stop);
  margin: 0 0 6px 190px;
}
</style>
