<script setup lang="ts">
/** Tabs over a page; T goes to the next. */
import { useKeys } from '../app/keys'

export interface Tab {
  key: string
  label: string
}
const props = defineProps<{ tabs: Tab[]; shown: string }>()
const emit = defineEmits<{ show: [key: string] }>()
useKeys([
  {
    key: 't',
    label: 'T',
    does: 'Next tab',
    press: () => {
      const at = props.tabs.findIndex((tab) => tab.key === props.shown)
      emit('show', props.tabs[(at + 1) % props.tabs.length]!.key)
    },
  },
])
</script>

<template>
  <div class="top">
    <div class="tabs" role="tablist">
      <button
        v-for="tab in tabs"
        :key="tab.key"
        type="button"
        role="tab"
        :aria-selected="tab.key === shown"
        @click="emit('show', tab.key)"
      >
        {{ tab.label }}
      </button>
    </div>
    <slot />
  </div>
</template>

<style scoped>
.top,
.tabs {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 22px;
}
.top {
  padding: 6px 18px 0;
  border-bottom: 1px solid var(--line);
}
.tabs > button {
  padding: 8px 0;
  border-bottom: 3px solid transparent;
}
.tabs > button[aria-selected='true'] {
  border-bottom-color: var(--ink);
  font-weight: 700;
}
</style>
