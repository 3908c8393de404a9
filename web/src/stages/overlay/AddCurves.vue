<script setup lang="ts">
/** A test is found by typing, and one of its setups chosen: that curve is laid over the others. */
import { refDebounced } from '@vueuse/core'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api } from '../../app/api/client'

const emit = defineEmits<{ add: [string] }>()
const typed = ref('')
const search = refDebounced(typed, 200)
const chosen = ref<number | null>(null)
const { data } = useQuery({
  queryKey: computed(() => ['programmes', 'overlay', search.value] as const),
  queryFn: async ({ queryKey: [, , search] }) =>
    answer(await api.GET('/api/tests-table', { params: { query: { search, size: 20 } } })),
  placeholderData: (before) => before,
})
const tests = computed(() =>
  (data.value?.rows ?? [])
    .filter((test) => test.last_pull)
    .map((test) => ({ value: test.id, title: `${test.question} · ${test.engine}` })),
)
const setups = computed(() => data.value?.rows.find((test) => test.id === chosen.value)?.setups ?? [])
</script>

<template>
  <div class="d-flex flex-wrap ga-4 align-end mb-3">
    <v-autocomplete
      v-model="chosen"
      v-model:search="typed"
      class="wide-field most-480"
      label="Test"
      :items="tests"
      no-filter
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
