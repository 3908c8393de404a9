<script setup lang="ts">
/** One revision under its tabs; the page round it says whose it is and where the links lead. */
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import TabRow from '../../ui/TabRow.vue'
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
</script>

<template>
  <div>
    <TabRow :tabs="tabs" :shown="shown" @show="show"><slot name="beside" /></TabRow>
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
