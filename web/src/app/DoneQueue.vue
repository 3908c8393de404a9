<script setup lang="ts">
/** What was just done, one after the other, with Undo where it can be undone. */
import { type Done, done, queue } from './undo'

async function undo(back: () => Promise<unknown>, dismiss: () => void) {
  dismiss()
  try {
    await back()
  } catch (error) {
    done((error as Error).message)
  }
}
</script>

<template>
  <v-snackbar-queue v-model="queue" :total-visible="3" display-strategy="overflow">
    <template #actions="{ item, props: { onClick } }">
      <v-btn
        v-if="(item as Done).onUndo"
        variant="flat"
        color="hand"
        @click="undo((item as Done).onUndo!, onClick)"
      >
        Undo
      </v-btn>
      <v-btn variant="text" @click="onClick">Close</v-btn>
    </template>
  </v-snackbar-queue>
</template>
