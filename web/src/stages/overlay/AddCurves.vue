<script setup lang="ts">
/** A test is found by typing, and one of its setups chosen: that curve is laid over the others. */
import { computed, ref, shallowReactive } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import NamePicker from '../../ui/NamePicker.vue'

const emit = defineEmits<{ add: [string] }>()
const chosen = ref<number | null>(null)
const known = shallowReactive(new Map<number, Schema['TestRow']['setups']>())

async function find(search: string) {
  const query = { search, size: 20, sort: 'last', order: 'desc' as const }
  const found = answer(await api.GET('/api/tests-table', { params: { query } }))
  found.rows.forEach((test) => known.set(test.id, test.setups))
  const names = found.rows
    .filter((test) => test.last_pull)
    .map((test) => ({ value: test.id as number | null, label: `${test.question} · ${test.engine}` }))
  return { total: found.total, names }
}
const setups = computed(() => (chosen.value === null ? [] : (known.get(chosen.value) ?? [])))
</script>

<template>
  <div class="d-flex flex-wrap ga-4 align-end mb-3">
    <NamePicker
      v-model="chosen"
      class="wide-field most-480"
      label="Test"
      :list="['tests that ran']"
      :find="find"
      placeholder="Question, engine, setup…"
    />
    <div
      v-if="setups.length"
      class="d-flex flex-wrap ga-2 align-end"
      role="group"
      aria-label="Setups of the test"
    >
      <v-btn v-for="setup in setups" :key="setup.id" @click="emit('add', `s${setup.id}`)"
        >Add {{ setup.letter }} {{ setup.name }}</v-btn
      >
    </div>
  </div>
</template>
