<script setup lang="ts">
/** One revision under its tabs; the page round it says whose it is and where the links lead. */
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { useKeys } from '../keys'
import BuildSheet from './BuildSheet.vue'
import InstalledPanel from './InstalledPanel.vue'
import RevisionsPanel from './RevisionsPanel.vue'
import type { Build } from './useBuild'

const props = defineProps<{ build: Build; mayOperate: boolean; more?: { key: string; label: string }[] }>()
const emit = defineEmits<{ revision: [id: number] }>()
const route = useRoute()
const router = useRouter()
const tabs = computed(() => [
  { key: 'sheet', label: 'Build sheet' },
  ...(props.more ?? []),
  { key: 'installed', label: 'As tested, as installed' },
  { key: 'revisions', label: `Revisions (${props.build.engine.revisions.length})` },
])
const shown = computed(() => {
  const asked = route.query.tab
  return tabs.value.find((tab) => tab.key === asked)?.key ?? 'sheet'
})

function show(tab: string) {
  void router.replace({ query: { ...route.query, tab: tab === 'sheet' ? undefined : tab } })
}
useKeys([
  {
    key: 't',
    label: 'T',
    does: 'Next tab',
    press: () => {
      const at = tabs.value.findIndex((tab) => tab.key === shown.value)
      show(tabs.value[(at + 1) % tabs.value.length]!.key)
    },
  },
])
</script>

<template>
  <div>
    <div class="top">
      <div class="tabs" role="tablist">
        <button
          v-for="tab in tabs"
          :key="tab.key"
          type="button"
          role="tab"
          :aria-selected="tab.key === shown"
          @click="show(tab.key)"
        >
          {{ tab.label }}
        </button>
      </div>
      <slot name="beside" />
    </div>
    <BuildSheet
      v-if="shown === 'sheet'"
      :build="build"
      :may-operate="mayOperate"
      @revision="(id) => emit('revision', id)"
    />
    <InstalledPanel v-else-if="shown === 'installed'" :build="build" :may-operate="mayOperate" />
    <RevisionsPanel
      v-else-if="shown === 'revisions'"
      :build="build"
      @revision="(id) => emit('revision', id)"
    />
    <slot v-else :name="shown" />
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
  padding: 8px 0 !important;
  border-bottom: 3px solid transparent !important;
}
.tabs > button[aria-selected='true'] {
  border-bottom-color: var(--ink) !important;
  font-weight: 700;
}
</style>
