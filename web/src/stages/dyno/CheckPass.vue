<script setup lang="ts">
/** Go or no go of a check pass, line by line. Props: `pull`, its id. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api } from '../../app/api/client'

const props = defineProps<{ pull: number }>()
const { data } = useQuery({
  queryKey: computed(() => ['check-pass', props.pull] as const),
  queryFn: async ({ queryKey: [, pull_id] }) =>
    answer(await api.GET('/api/pulls/{pull_id}/check-pass', { params: { path: { pull_id } } })),
})
</script>

<template>
  <section v-if="data?.lines.length" aria-label="Check pass" data-test="check-pass" role="status">
    <p :class="['big', 'font-weight-bold', 'px-3', 'py-1', data.go ? 'hand-edge on-panel' : 'bg-error']">
      {{ data.go ? 'Go: the full sweep may follow.' : 'No go: put it right, then check again.' }}
    </p>
    <ul class="plain-list pa-0 prose size-16">
      <li v-for="line in data.lines" :key="line.words" :class="{ quiet: line.right === null }">
        <span aria-hidden="true">{{ line.right === null ? '?' : line.right ? '✓' : '✗' }}</span>
        {{ line.words }}
      </li>
    </ul>
  </section>
</template>

<style scoped>
.big {
  font-size: 22px;
}
</style>
