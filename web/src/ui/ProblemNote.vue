<script setup lang="ts">
/**
 * What went wrong, where it went wrong, and what can be done: buttons in the slot, and Try again where it was a question
 * that failed. What was sent is not sent again from here: its own button does that.
 */
import { type Query, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'

const props = defineProps<{ error: Error | null | undefined }>()
const queries = useQueryClient()
const failed = { predicate: ({ state }: Query) => state.error === props.error }
const isQuestion = computed(() => Boolean(props.error && queries.getQueryCache().findAll(failed).length))
const again = () => queries.refetchQueries(failed)
</script>

<template>
  <v-alert v-if="error" class="my-2 on-panel" border="start" border-color="hand" role="alert">
    {{ error.message }}
    <div v-if="isQuestion || $slots.default" class="d-flex flex-wrap ga-2 mt-2">
      <v-btn v-if="isQuestion" @click="again">Try again</v-btn>
      <slot />
    </div>
  </v-alert>
</template>
