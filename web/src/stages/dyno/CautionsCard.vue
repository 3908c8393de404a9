<script setup lang="ts">
/** Cautions in words that fit the engine and its fuel; somebody signs by name that they were read. */
import ProblemNote from '../../ui/ProblemNote.vue'
import { useCautions } from './useSession'

const props = defineProps<{ programme: number }>()
const { data, error } = useCautions(() => props.programme)
</script>

<template>
  <section class="cautions hand-edge pl-4 most-680" aria-label="Cautions">
    <ProblemNote v-if="!data" :error="error" />
    <p v-for="(paragraph, index) in data?.paragraphs" :key="paragraph" class="text mb-2">
      <strong v-if="index === data!.paragraphs.length - 1">{{ paragraph }}</strong>
      <template v-else>{{ paragraph }}</template>
    </p>
    <slot />
  </section>
</template>
