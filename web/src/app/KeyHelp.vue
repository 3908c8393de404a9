<script setup lang="ts">
/** The keys of this screen, and what its words mean; fetched when it is asked for. */
import { defineAsyncComponent, ref } from 'vue'

import { useKeys } from './keys'

const KeysAndTerms = defineAsyncComponent(() => import('./KeysAndTerms.vue'))
const open = ref(false)
useKeys([{ key: '?', label: '?', does: 'List keys and terms', press: () => (open.value = !open.value) }])
</script>

<template>
  <v-dialog v-model="open" max-width="860" scrollable aria-label="Keys and terms">
    <v-card class="pa-5">
      <KeysAndTerms />
      <v-btn class="mt-3 align-self-start" @click="open = false">Close</v-btn>
    </v-card>
  </v-dialog>
</template>
