<script setup lang="ts">
/** A word that explains itself when it is pointed at, touched or reached by the keyboard. */
import { type Term, TERMS } from './terms'

defineProps<{ term: Term }>()
</script>

<template>
  <v-tooltip :text="TERMS[term]" max-width="320" location="top" open-on-click>
    <template #activator="{ props: activator }">
      <span v-bind="activator" class="term" tabindex="0"
        ><slot>{{ term }}</slot></span
      >
    </template>
  </v-tooltip>
</template>

<style scoped>
.term {
  text-decoration: underline dotted;
  text-underline-offset: 3px;
  cursor: help;
}
</style>
