<script setup lang="ts">
/** What was just done, with Undo, for some seconds. */
import { computed, ref } from 'vue'

import { lastDone } from './undo'

const SHOWN_MS = 10_000
const failed = ref('')
const open = computed({
  get: () => lastDone.value !== null || failed.value !== '',
  set: (shown: boolean) => {
    if (!shown) lastDone.value = null
    if (!shown) failed.value = ''
  },
})
async function undo() {
  const back = lastDone.value
  lastDone.value = null
  try {
    await back?.undo()
  } catch (error) {
    failed.value = (error as Error).message
  }
}
</script>

<template>
  <v-snackbar v-model="open" :timeout="SHOWN_MS" location="bottom left" color="primary">
    {{ failed || lastDone?.text }}
    <template #actions>
      <v-btn v-if="lastDone" variant="text" class="undo" @click="undo">Undo</v-btn>
    </template>
  </v-snackbar>
</template>

<style scoped>
.undo {
  color: var(--hand);
}
</style>
