<script setup lang="ts">
/** Cautions in words that fit the engine and its fuel; somebody says by name that he has read them. */
import ProblemNote from '../../ui/ProblemNote.vue'
import { useCautions } from './useSession'

const props = defineProps<{ programme: number }>()
const { data, error } = useCautions(() => props.programme)
</script>

<template>
  <section class="cautions hand-edge pl-4 most-680" aria-label="Cautions">
    <ProblemNote v-if="!data" :error="error" />
    <p v-for="(paragraph, index) in data?.paragraphs" :key="paragraph" class="text">
      <strong v-if="index === data!.paragraphs.length - 1">{{ paragraph }}</strong>
      <template v-else>{{ paragraph }}</template>
    </p>
    <slot />
  </section>
</template>

<style scoped>
.cautions p {
  margin: 0 0 10px;
  line-height: 1.5;
}
</style>
