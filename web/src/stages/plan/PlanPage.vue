<script setup lang="ts">
/** The plan in force: its setups and what they can tell, its day, what is expected, its odds, its versions. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, api } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import TabRow from '../../ui/TabRow.vue'
import { useKeys } from '../../app/keys'
import DayPanel from './DayPanel.vue'
import ExpectationsPanel from './ExpectationsPanel.vue'
import OddsPanel from './OddsPanel.vue'
import PullsNeeded from './PullsNeeded.vue'
import SetupsPanel from './SetupsPanel.vue'
import TheoriesPanel from './TheoriesPanel.vue'
import VersionsPanel from './VersionsPanel.vue'
import { useFrame } from '../../app/frame'

const { programme, mayOperate } = useFrame()
const route = useRoute()
const router = useRouter()
const { data: plan, error } = useQuery({
  queryKey: computed(() => ['plan', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/plans/{programme_id}', { params: { path: { programme_id } } })),
})
const tabs = computed(() => [
  { key: 'setups', label: 'Setups' },
  { key: 'day', label: 'Day' },
  { key: 'expected', label: 'Predictions' },
  { key: 'odds', label: 'Odds' },
  { key: 'versions', label: `Versions (${plan.value?.versions.length ?? 0})` },
])
const shown = computed(() => tabs.value.find((tab) => tab.key === route.query.tab)?.key ?? 'setups')

function show(tab: string) {
  void router.replace({ query: { ...route.query, tab: tab === 'setups' ? undefined : tab } })
}
function change() {
  if (mayOperate.value) void router.push({ name: 'change-plan' })
}
useKeys([{ key: 'e', label: 'E', does: 'Change the plan', press: change }])
</script>

<template>
  <div>
    <TabRow :tabs="tabs" :shown="shown" @show="show">
      <v-btn v-if="mayOperate" class="change" @click="change">Change the plan <kbd>E</kbd></v-btn>
    </TabRow>
    <div class="inside">
      <ProblemNote :error="error" />
      <template v-if="plan">
        <SetupsPanel v-if="shown === 'setups'" :plan="plan" />
        <DayPanel v-else-if="shown === 'day'" :plan="plan" />
        <div v-else-if="shown === 'expected'" class="columns">
          <div>
            <ExpectationsPanel />
            <TheoriesPanel />
          </div>
          <PullsNeeded />
        </div>
        <OddsPanel v-else-if="shown === 'odds'" :plan="plan" />
        <VersionsPanel v-else :versions="plan.versions" />
      </template>
    </div>
  </div>
</template>

<style scoped>
.inside {
  padding: 14px 18px 30px;
  max-width: 1240px;
}
.change {
  margin: 0 0 6px auto;
}
.columns {
  display: grid;
  grid-template-columns: 1.3fr 1fr;
  gap: 44px;
  align-items: start;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: 1fr;
  }
}
</style>
