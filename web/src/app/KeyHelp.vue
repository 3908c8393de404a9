<script setup lang="ts">
/** The keys of this screen, and what its words mean. */
import { ref } from 'vue'

import { TERMS } from '../ui/terms'
import { boundKeys, useKeys } from './keys'

const open = ref(false)
const keys = boundKeys()
useKeys([{ key: '?', label: '?', does: 'List keys and terms', press: () => (open.value = !open.value) }])
</script>

<template>
  <v-dialog v-model="open" max-width="860" scrollable aria-label="Keys and terms">
    <v-card class="pa-5">
      <div class="split overflow-y-auto" tabindex="0" role="group" aria-label="Keys and terms">
        <section>
          <h1 class="mb-3">Keys of this screen</h1>
          <dl class="pairs-of prose size-15">
            <template v-for="binding in keys" :key="binding.label">
              <dt>
                <kbd>{{ binding.label }}</kbd>
              </dt>
              <dd>{{ binding.does }}</dd>
            </template>
          </dl>
        </section>
        <section>
          <h1 class="mb-3">Terms</h1>
          <dl class="prose size-15">
            <template v-for="(means, term) in TERMS" :key="term">
              <dt class="font-weight-bold">{{ term }}</dt>
              <dd class="mb-2">{{ means }}</dd>
            </template>
          </dl>
        </section>
      </div>
      <v-btn class="mt-3 align-self-start" @click="open = false">Close</v-btn>
    </v-card>
  </v-dialog>
</template>
