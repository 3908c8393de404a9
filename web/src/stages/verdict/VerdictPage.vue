<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'

import { Problem } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useAddress, useAddressTab } from '../../app/useAddress'
import TabPages from '../../ui/TabPages.vue'
import { figure } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import ExpectationsPanel from '../plan/ExpectationsPanel.vue'
import ShapesTable from './ShapesTable.vue'
import AheadTable from './AheadTable.vue'
import { useChoice } from './choice'
import ClaimPanel from './ClaimPanel.vue'
import DecisionsPanel from './DecisionsPanel.vue'
import DutyPanel from './DutyPanel.vue'
import { useBoosted, useRegimes, useRestriction, useVerdict } from './queries'
import KnockOnPanel from './KnockOnPanel.vue'
import RankingTable from './RankingTable.vue'
import BoostPanel from './regimes/BoostPanel.vue'
import GridRanking from './regimes/GridRanking.vue'
import RegimesPanel from './regimes/RegimesPanel.vue'
import RestrictionPanel from './RestrictionPanel.vue'
import RoadPanel from './road/RoadPanel.vue'
import RevealPanel from '../practice/RevealPanel.vue'
import SlotInPanel from './slot_in/SlotInPanel.vue'
import TransferPanel from './transfer/TransferPanel.vue'
import RobustnessPanel from './RobustnessPanel.vue'
import { useFrame } from '../../app/frame'
import TermTip from '../../ui/TermTip.vue'

const { programme } = useFrame()
const { choice, choose, forget, changed } = useChoice()
const { data: judged, error, isFetching } = useVerdict(() => programme.value.id, choice)
/** What was refused leaves the last verdict standing, and with it what was typed. */
const verdict = shallowRef(judged.value)
watch(judged, (found) => {
  if (found) verdict.value = found
})
const problem = computed(() => (error.value instanceof Problem ? error.value : null))

/** Parts crossed with a level are ranked at each level; all setups in one table on request. */
const isGrid = computed(() => verdict.value?.is_grid ?? false)
const { data: regimes, error: noRegimes } = useRegimes(() => programme.value.id, choice, isGrid)
const everySetup = useAddress('ranking')

const EVERY_TEST = [
  { key: 'trust', label: 'Confidence and limits' },
  { key: 'robust', label: 'Sensitivity' },
  { key: 'speeds', label: 'Along the speed range' },
  { key: 'road', label: 'Road' },
  { key: 'between', label: 'Between' },
  { key: 'transfer', label: 'Another engine' },
  { key: 'restriction', label: 'Restriction' },
  { key: 'expected', label: 'Predicted vs. measured' },
  { key: 'claims', label: 'Check a claim' },
  { key: 'decided', label: 'Decisions' },
]
const isBoosted = computed(() => verdict.value?.is_boosted ?? false)
const TABS = computed(() => [
  ...(isGrid.value ? [{ key: 'regimes', label: 'Regimes' }] : []),
  ...(isBoosted.value ? [{ key: 'boost', label: 'Boost' }] : []),
  ...EVERY_TEST,
  ...(programme.value.is_practice ? [{ key: 'practice', label: 'Practice' }] : []),
])
const tab = useAddressTab(() => TABS.value.map((known) => known.key))

const { data: boosted, error: noBoost } = useBoosted(
  () => programme.value.id,
  choice,
  () => isBoosted.value && tab.value === 'boost',
)

const { data: restriction, error: noRestriction } = useRestriction(
  () => programme.value.id,
  choice,
  () => tab.value === 'restriction',
)

/** Goes to the next duty of the usual ones. */
function nextDuty() {
  const uses = verdict.value?.uses ?? []
  const at = uses.findIndex((use) => use.preset === verdict.value?.duty)
  if (uses.length) choose({ duty: uses[(at + 1) % uses.length]!.preset, points: undefined })
}
useKeys([{ key: 'd', label: 'D', does: 'Next duty', press: nextDuty }])
</script>

<template>
  <div class="page split aside-300">
    <div class="verdict" :aria-busy="isFetching">
      <ProblemNote :error="error" />
      <v-btn v-if="error && changed" @click="forget">Back to the test's own</v-btn>
      <template v-if="verdict">
        <div :class="{ stale: error }">
          <div class="sentence most-900" data-test="sentence" aria-live="polite">
            <p v-for="sentence in verdict.headline" :key="sentence">{{ sentence }}</p>
          </div>
          <template v-if="isGrid">
            <ProblemNote :error="noRegimes" />
            <v-btn-toggle
              :model-value="everySetup || 'levels'"
              mandatory
              class="mb-2"
              @update:model-value="everySetup = $event === 'levels' ? '' : 'setups'"
            >
              <v-btn value="levels">Parts at each level</v-btn>
              <v-btn value="setups">Every setup</v-btn>
            </v-btn-toggle>
            <GridRanking v-if="!everySetup && regimes" :regimes="regimes" />
          </template>
          <RankingTable v-if="!isGrid || everySetup" :verdict="verdict" />
        </div>
        <TabPages v-model="tab" class="under" :tabs="TABS">
          <template #regimes><RegimesPanel v-if="regimes" :regimes="regimes" /></template>
          <template #boost>
            <ProblemNote :error="noBoost" />
            <BoostPanel v-if="boosted" :boosted="boosted" />
          </template>
          <template #trust>
            <p class="text">
              <TermTip term="repeatability">Two single pulls of one setup</TermTip> differ by up to
              {{ figure(verdict.repeatability_percent, 2) }} % from <TermTip term="scatter" /> alone (scatter
              {{ figure(verdict.scatter_percent, 2) }} %: {{ verdict.scatter_basis }}). A difference under
              {{ figure(verdict.smallest_difference_percent) }} % does not matter here.
            </p>
            <AheadTable :verdict="verdict" />
            <p v-for="note in verdict.notes" :key="note" class="text">{{ note }}</p>
            <p class="text quiet size-15">{{ verdict.method }}</p>
          </template>
          <template #robust><RobustnessPanel /></template>
          <template #speeds>
            <ShapesTable :verdict="verdict" />
            <p v-for="sentence in verdict.thresholds" :key="sentence" class="text">{{ sentence }}</p>
            <p v-for="stretch in verdict.stretches" :key="stretch" class="text">{{ stretch }}</p>
          </template>
          <template #road><RoadPanel /></template>
          <template #practice><RevealPanel /></template>
          <template #between><SlotInPanel /></template>
          <template #transfer><TransferPanel /></template>
          <template #restriction>
            <ProblemNote :error="noRestriction" />
            <RestrictionPanel v-if="restriction" :restriction="restriction" />
          </template>
          <template #expected><ExpectationsPanel /></template>
          <template #claims><ClaimPanel :standard="verdict.standard" /></template>
          <template #decided>
            <KnockOnPanel><DecisionsPanel /></KnockOnPanel>
          </template>
        </TabPages>
      </template>
    </div>
    <DutyPanel v-if="verdict" :verdict="verdict" :problem="problem" />
  </div>
</template>

<style scoped>
.sentence {
  margin: 2px 0 14px;
}
.sentence p {
  font-family: var(--text);
  font-size: 16px;
  line-height: 1.4;
  margin: 0 0 4px;
}
.sentence p:nth-child(-n + 2) {
  font-family: var(--read);
  font-size: 19px;
  line-height: 1.38;
}
.stale {
  opacity: 0.45;
}
</style>
