<script setup lang="ts">
/** One revision under its tabs; the page round it says whose it is and where the links lead. */
import { computed } from 'vue'

import { useAddressTab } from '../../app/useAddress'
import TabPages from '../../ui/TabPages.vue'
import BuildSheet from './BuildSheet.vue'
import InstalledPanel from './InstalledPanel.vue'
import RevisionsPanel from './RevisionsPanel.vue'
import type { Build } from './useBuild'

const props = defineProps<{ build: Build; mayOperate: boolean; more?: { key: string; label: string }[] }>()
const emit = defineEmits<{ revision: [id: number] }>()
const tabs = computed(() => [
  { key: 'sheet', label: 'Build sheet' },
  ...(props.more ?? []),
  { key: 'installed', label: 'As tested, as installed' },
  { key: 'revisions', label: `Revisions (${props.build.engine.revisions.length})` },
])
const shown = useAddressTab(() => tabs.value.map((tab) => tab.key))
</script>

<template>
  <div>
    <TabPages v-model="shown" :tabs="tabs">
      <template #beside><slot name="beside" /></template>
      <template #sheet>
        <BuildSheet :build="build" :may-operate="mayOperate" @revision="(id) => emit('revision', id)" />
      </template>
      <template v-for="tab in more" :key="tab.key" #[tab.key]><slot :name="tab.key" /></template>
      <template #installed><InstalledPanel :build="build" :may-operate="mayOperate" /></template>
      <template #revisions>
        <RevisionsPanel :build="build" @revision="(id) => emit('revision', id)" />
      </template>
    </TabPages>
  </div>
</template>
