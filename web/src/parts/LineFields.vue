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
          <span class="quiet unit">{{ line.unit }}</span>
        </span>
      </label>
      <p v-if="fields[line.key]" class="message" role="alert">{{ fields[line.key] }}</p>
    </template>
  </div>
</template>
