<script setup lang="ts">
/** The plan in force: its setups and what they can tell, its day, what is expected, its odds, its versions. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import TabPages from '../../ui/TabPages.vue'
import { useAddressTab } from '../../app/useAddress'
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
const shown = useAddressTab(() => tabs.value.map((tab) => tab.key))

function change() {
  if (mayOperate.value) void router.push({ name: 'change-plan' })
}
useKeys([{ key: 'e', label: 'E', does: 'Edit plan', press: change }])
</script>

<template>
  <ProblemNote :error="error" />
  <TabPages v-model="shown" :tabs="tabs">
    <template #beside>
      <v-btn v-if="mayOperate" class="ml-auto" @click="change">Edit plan <kbd>E</kbd></v-btn>
    </template>
    <template v-if="plan" #setups><SetupsPanel class="page" :plan="plan" /></template>
    <template v-if="plan" #day><DayPanel class="page" :plan="plan" /></template>
    <template #expected>
      <div class="page split">
        <div>
          <ExpectationsPanel />
          <TheoriesPanel />
        </div>
        <PullsNeeded />
      </div>
    </template>
    <template v-if="plan" #odds><OddsPanel class="page" :plan="plan" /></template>
    <template v-if="plan" #versions><VersionsPanel class="page" :versions="plan.versions" /></template>
  </TabPages>
</template>
