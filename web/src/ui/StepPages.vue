<script setup lang="ts">
/**
 * The pages of a form that is filled in for the first time, one step after the other; each can be gone to at any time.
 * Slots as of `TabPages`: one for each step by its key, and `beside` for what stands at the end of the row.
 */
import { computed } from 'vue'

import { useKeys } from '../app/keys'
import type { Tab } from './TabPages.vue'

const props = defineProps<{ tabs: (Tab & { wrong?: boolean })[] }>()
const shown = defineModel<string>({ required: true })
const at = computed(() => props.tabs.findIndex((tab) => tab.key === shown.value))
const before = computed(() => props.tabs[at.value - 1])
const after = computed(() => props.tabs[at.value + 1])
useKeys([
  {
    key: 't',
    label: 'T',
    does: 'Next step',
    press: () => (shown.value = (after.value ?? props.tabs[0]!).key),
  },
])
</script>

<template>
  <v-stepper v-model="shown" class="border-0 rounded-0" bg-color="background" :mobile="false">
    <div class="d-flex flex-wrap align-center gc-4 pr-4 border-b">
      <v-stepper-header class="border-0">
        <template v-for="(tab, place) in tabs" :key="tab.key">
          <v-divider v-if="place" />
          <v-stepper-item
            :value="tab.key"
            :title="tab.label"
            :error="tab.wrong"
            :complete="place < at"
            :aria-current="tab.key === shown ? 'step' : undefined"
            editable
          >
            <template #icon>{{ place + 1 }}</template>
          </v-stepper-item>
        </template>
      </v-stepper-header>
      <slot name="beside" />
    </div>
    <v-stepper-window class="ma-0" :transition="false" :reverse-transition="false">
      <v-stepper-window-item v-for="tab in tabs" :key="tab.key" :value="tab.key">
        <slot v-if="tab.key === shown" :name="tab.key" />
      </v-stepper-window-item>
    </v-stepper-window>
    <p class="buttons px-4 pb-4 d-flex ga-2">
      <v-btn v-if="before" @click="shown = before.key">Back: {{ before.label }}</v-btn>
      <v-btn v-if="after" @click="shown = after.key">Next: {{ after.label }}</v-btn>
    </p>
  </v-stepper>
</template>
