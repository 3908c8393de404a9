<script setup lang="ts">
/**
 * Tabs over a page; T goes to the next. A slot for each tab by its key, and `beside` for what stands at the end of the
 * row. Only the page that is shown lives: what is hidden asks nothing and binds no keys.
 */
import { useId } from 'vue'

import { useKeys } from '../app/keys'

export interface Tab {
  key: string
  label: string
}
const props = defineProps<{ tabs: Tab[] }>()
const shown = defineModel<string>({ required: true })
const id = useId()
useKeys([
  {
    key: 't',
    label: 'T',
    does: 'Next tab',
    press: () => {
      const at = props.tabs.findIndex((tab) => tab.key === shown.value)
      shown.value = props.tabs[(at + 1) % props.tabs.length]!.key
    },
  },
])
</script>

<template>
  <div class="d-flex flex-wrap align-center gc-4 px-4 border-b">
    <v-tabs v-model="shown" show-arrows>
      <v-tab
        v-for="tab in tabs"
        :id="`${id}-tab-${tab.key}`"
        :key="tab.key"
        :value="tab.key"
        :aria-controls="tab.key === shown ? `${id}-page-${tab.key}` : undefined"
      >
        {{ tab.label }}
      </v-tab>
    </v-tabs>
    <slot name="beside" />
  </div>
  <v-tabs-window v-model="shown">
    <v-tabs-window-item
      v-for="tab in tabs"
      :id="`${id}-page-${tab.key}`"
      :key="tab.key"
      :value="tab.key"
      role="tabpanel"
      :aria-labelledby="`${id}-tab-${tab.key}`"
    >
      <slot v-if="tab.key === shown" :name="tab.key" />
    </v-tabs-window-item>
  </v-tabs-window>
</template>
