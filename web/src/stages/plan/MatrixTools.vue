<script setup lang="ts">
/** More rows for the matrix: slots, settings, rows of one's own; and every setup at each level of a setting. */
import { computed, ref } from 'vue'

import { cross, OWN } from './draft'
import type { PlanDraft } from './usePlanDraft'

const props = defineProps<{ plan: PlanDraft }>()
const emit = defineEmits<{ add: [key: string] }>()
const { draft, slots, choices } = props.plan
const added = ref<string | null>(null)
const own = ref('')
const crossRow = ref<string | null>(null)
const crossLevels = ref('')
const addable = computed(() => {
  const there = new Set(draft.rows?.map((row) => row.key))
  return [
    ...(slots.value ?? []).map((slot) => ({ value: slot.value, label: slot.label })),
    ...(choices.value?.settings ?? []),
  ].filter((row) => !there.has(row.value))
})

function add(key: string | null) {
  if (key) emit('add', key)
  added.value = null
}
function addOwn() {
  add(OWN + own.value.trim())
  own.value = ''
}

function combine() {
  const levels = crossLevels.value
    .split(/[;\n]|,\s+/)
    .map((text) => text.trim())
    .filter(Boolean)
  if (!crossRow.value || levels.length < 2) return
  add(crossRow.value)
  cross(draft, crossRow.value, levels)
  crossLevels.value = ''
}
</script>

<template>
  <div class="tools d-flex flex-wrap gr-2 gc-6 align-center mb-3">
    <v-autocomplete
      v-model="added"
      class="w-200"
      aria-label="Add slot or setting"
      placeholder="Add slot or setting"
      :items="addable"
      @update:model-value="add"
    />
    <v-form @submit.stop.prevent="addOwn">
      <v-text-field
        v-model="own"
        class="w-200"
        placeholder="or a name of your own"
        aria-label="A row of your own"
        maxlength="50"
      />
      <v-btn type="submit" :disabled="!own.trim()">Add row</v-btn>
    </v-form>
    <v-form @submit.stop.prevent="combine">
      <span class="quiet">Cross every setup with</span>
      <v-autocomplete
        v-model="crossRow"
        class="w-200"
        aria-label="Setting to cross with"
        placeholder="setting"
        :items="choices?.settings ?? []"
      />
      <v-text-field
        v-model="crossLevels"
        class="w-200"
        placeholder="0.5 bar; 0.8 bar"
        aria-label="Levels, with semicolons between"
      />
      <v-btn type="submit" :disabled="!crossRow || !crossLevels.includes(';')">Create combinations</v-btn>
    </v-form>
  </div>
</template>

<style scoped>
.tools form {
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
