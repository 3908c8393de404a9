<script setup lang="ts">
/** The search over everything, from any screen; fetched when it is asked for. */
import { defineAsyncComponent, ref } from 'vue'

import { isUrgent, useKeys } from './keys'

const SearchBox = defineAsyncComponent(() => import('../stages/search/SearchBox.vue'))
const open = ref(false)
/** Never over the Abort of a pull. */
const show = () => (open.value = !isUrgent())
useKeys([{ key: 'g', label: 'G', does: 'Find anything', press: show }])
</script>

<template>
  <v-btn class="flex-shrink-0" @click="show">Find <kbd>G</kbd></v-btn>
  <v-dialog v-model="open" max-width="680" scrollable aria-label="Find anything">
    <v-card class="pa-5"><SearchBox @done="open = false" /></v-card>
  </v-dialog>
</template>
