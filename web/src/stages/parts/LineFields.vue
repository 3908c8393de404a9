<script setup lang="ts">
/** Fields for the lines of a kind of part, all at once, each with its message. */
import type { Schema } from '../../app/api/client'
import QuantityField from '../../ui/QuantityField.vue'

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
        v-else-if="line.kind === 'words'"
        v-model="texts[line.key]"
        :label="line.label"
        :error-messages="fields[line.key]"
      />
      <QuantityField
        v-else
        v-model="texts[line.key]"
        :label="line.label"
        :title="line.hint || undefined"
        :unit="line.unit"
        :wrong="fields[line.key]"
      />
    </template>
  </div>
</template>
