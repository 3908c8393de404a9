<script setup lang="ts">
/** What went wrong at the stand or on the way to it, each in its place; empty words are not shown. */
defineProps<{
  /** Why the last pull was stopped. */
  stopped: string
  /** Limits that are not watched any more while the pull goes on. */
  unseen: string
  /** What could not be stored. */
  unsaved: string
  /** Why the stand is not linked. */
  lost: string
  /** Whether the live stream stands. */
  streaming: boolean
}>()
</script>

<template>
  <v-alert v-if="stopped" variant="flat" color="error" class="my-2 size-16" role="alert" data-test="stopped">
    {{ stopped }}
  </v-alert>
  <v-alert v-if="unseen" variant="flat" color="error" class="my-2 size-16" role="alert" data-test="unseen">
    Not monitored: {{ unseen }}
  </v-alert>
  <v-alert v-if="unsaved" border="start" border-color="hand" class="my-2" role="alert" data-test="unsaved">
    {{ unsaved }}
  </v-alert>
  <v-alert v-if="lost" border="start" border-color="hand" class="my-2" role="alert" data-test="stand-lost">
    {{ lost }}
  </v-alert>
  <v-alert
    v-else-if="!streaming"
    border="start"
    border-color="hand"
    class="my-2"
    role="alert"
    data-test="stream-lost"
  >
    Live display interrupted; pulls are still recorded. It reconnects automatically.
  </v-alert>
</template>
