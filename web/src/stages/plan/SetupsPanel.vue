<script setup lang="ts">
/** The setups of a plan slot by slot, what they can tell, what they are held to, and who is left out and why. */
import { computed } from 'vue'

import type { Schema } from '../../app/api/client'
import { money } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import { usePartNames } from '../parts/names'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { letterOf } from '../../ui/setups/marks'
import { cell, differsFromBase, isSlot } from './draft'
import EarlierPanel from './EarlierPanel.vue'
import OpenTests from './OpenTests.vue'
import HeldRows from './HeldRows.vue'
import QuestionsTable from './QuestionsTable.vue'
import SetupsOnPaper from './SetupsOnPaper.vue'

const props = defineProps<{ plan: Schema['PlanOut'] }>()
const { programme } = useFrame()
const draft = computed(() => props.plan.draft)
const { partOf } = usePartNames(() => draft.value.setups.flatMap((setup) => setup.part_ids ?? []))
const slotOf = (part: number) => partOf(part)?.slot
const rows = computed(() => Object.entries(props.plan.summary.labels))

function content(setup: Schema['DraftSetupIn'], row: string): string {
  const value = cell(setup, row, slotOf)
  if (!isSlot(row) || value === '') return value
  const names = value.split(' ').map((id) => partOf(Number(id))?.name ?? '')
  return names.join(' with ')
}
const failing = computed(() => new Map(props.plan.summary.failing.map((one) => [one.setup, one.reasons])))
const costs = computed(() => new Map(props.plan.summary.costs.map((one) => [one.setup, one])))
const CANDIDATES: Record<string, string> = {
  late: 'arrives too late',
  ineligible: 'not eligible',
  skipped: 'skipped',
}
</script>

<template>
  <div>
    <p v-if="draft.words?.answers_change" class="text">{{ draft.words.answers_change }}</p>
    <p v-for="warning in plan.summary.warnings" :key="warning" class="text hand-edge pl-2">{{ warning }}</p>
    <div class="overflow-x-auto mb-5" tabindex="0" role="region" aria-label="Setups slot by slot">
      <v-table class="figures" data-test="matrix">
        <thead>
          <tr>
            <th class="words">Slot or setting</th>
            <th
              v-for="(setup, place) in draft.setups"
              :key="place"
              class="words"
              :class="{ out: setup.candidate !== 'in' }"
            >
              <span class="head d-flex ga-1 align-center ink">
                <SetupMark :position="plan.positions[place]!" :hollow="setup.candidate !== 'in'" />{{
                  setup.name
                }}
              </span>
              <span v-if="setup.based_on" class="small"
                >from {{ letterOf(plan.positions[setup.based_on]!) }}</span
              >
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="[key, label] in rows" :key="key">
            <th class="words" scope="row">{{ label }}</th>
            <td
              v-for="(setup, place) in draft.setups"
              :key="place"
              class="words"
              :class="{ differs: differsFromBase(draft, place, key, slotOf), out: setup.candidate !== 'in' }"
            >
              {{ content(setup, key) || '–' }}
            </td>
          </tr>
          <tr v-if="costs.size">
            <th class="words" scope="row">New parts cost</th>
            <td v-for="(_, place) in draft.setups" :key="place" class="words">
              <template v-if="costs.get(place)">
                {{ money(costs.get(place)!.price) }}
                <span v-if="costs.get(place)!.unknown.length" class="quiet"
                  >and {{ costs.get(place)!.unknown.join(', ') }}, price not known</span
                >
              </template>
              <template v-else>–</template>
            </td>
          </tr>
          <tr v-if="failing.size || draft.setups.some((setup) => setup.candidate !== 'in')">
            <th class="words" scope="row">Status</th>
            <td v-for="(setup, place) in draft.setups" :key="place" class="words">
              <template v-if="setup.candidate !== 'in'">
                <strong>{{ CANDIDATES[setup.candidate ?? ''] }}</strong>: {{ setup.reason }}
              </template>
              <span
                v-for="line in failing.get(place)"
                v-else
                :key="line"
                class="hand-edge pl-2 d-block prose size-15"
                >{{ line }}</span
              >
            </td>
          </tr>
        </tbody>
      </v-table>
    </div>
    <div class="split">
      <div>
        <h2>What can be concluded</h2>
        <QuestionsTable :concluded="plan.summary" />
        <p class="quiet prose size-15">
          <router-link :to="{ name: 'engine', query: { tab: 'setups' } }">Setups as stacks</router-link>, with
          what does not fit and what would not be fair.
        </p>
      </div>
      <div>
        <h2>Held constant</h2>
        <HeldRows :rows="plan.summary.held" :also="programme.held_constant" />
        <p class="quiet prose size-15">
          Sweep {{ programme.sweep_start_rpm }} to {{ programme.sweep_end_rpm }} rpm at
          {{ programme.sweep_rate_rpm_s }} rpm/s; compared from {{ programme.low_rpm }} to
          {{ programme.high_rpm }} rpm. Mean of the accepted pulls; the first pulls after a change do not
          count.
        </p>
        <OpenTests :programme="programme.id" />
        <EarlierPanel />
      </div>
    </div>
    <SetupsOnPaper :programme="programme.id" :plan="plan" />
  </div>
</template>

<style scoped>
table {
  width: auto;
}
td {
  max-width: 240px;
}
tbody th {
  vertical-align: middle;
}
.differs {
  font-weight: 700;
  border-left: 3px solid var(--ink);
}
.out {
  opacity: 0.6;
}
</style>
