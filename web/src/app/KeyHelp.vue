<script setup lang="ts">
import { ref } from 'vue'

import { boundKeys, useKeys } from './keys'

const open = ref(false)
const keys = boundKeys()
useKeys([
  { key: '?', label: '?', does: 'List the keys of this screen', press: () => (open.value = !open.value) },
])
</script>

<template>
  <v-dialog v-model="open" max-width="420" aria-label="Keys of this screen">
    <v-card class="pa-5">
      <h1 class="mb-3">Keys of this screen</h1>
      <dl>
        <template v-for="binding in keys" :key="binding.label">
          <dt>
            <kbd>{{ binding.label }}</kbd>
          </dt>
          <dd>{{ binding.does }}</dd>
        </template>
      </dl>
    </v-card>
  </v-dialog>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 8px 16px;
}
dd {
  font-family: var(--text);
  font-size: 15px;
}
</style>
