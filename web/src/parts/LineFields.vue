<script setup lang="ts">
/** Fields for the lines of a kind of part, all at once, each with its message. */
import type { Schema } from '../api/client'

defineProps<{ lines: Schema['LineOut'][]; fields: Record<string, string> }>()
const texts = defineModel<Record<string, string>>({ required: true })
</script>

<template>
  <div>
    <template v-for="line in lines" :key="line.key">
      <v-select
        v-if="line.kind === 'choice'"
        v-model="texts[line.key]"
        :label="line.label"
        :items="[{ value: '', label: '–' }, ...(line.choices ?? [])]"
        :error-messages="fields[line.key]"
      />
      <v-text-field
        v-else
        v-model="texts[line.key]"
        :class="{ number: line.kind !== 'words' }"
        :label="line.label"
        :title="line.hint || undefined"
        :suffix="line.kind === 'words' ? undefined : line.unit"
        :error-messages="fields[line.key]"
      />
    </template>
  </div>
</template>
