<script setup lang="ts">
/** One guideline with all that speaks of it: engines, tests, what is counted apart, and why it may be so. */
import { ref } from 'vue'

import { answer, api } from '../../app/api/client'
import { useMe } from '../../app/api/queries'
import { done } from '../../app/undo'
import { useTitle } from '../../app/useTitle'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { day } from '../../ui/figures'
import EffectsTable from './EffectsTable.vue'
import ExplanationsPanel from './ExplanationsPanel.vue'
import GuidelineForm from './GuidelineForm.vue'
import { type Guideline, useGuideline, useKeepGuideline } from './useGuidelines'

const props = defineProps<{ id: number }>()
const { data, error } = useGuideline(() => props.id)
const { data: me } = useMe()
const keep = useKeepGuideline()
const editing = ref(false)
const problem = ref<Error | null>(null)
const BEARINGS: Record<string, string> = { for: 'for', against: 'against', neither: 'undecided' }
useTitle(() => data.value?.said.statement ?? '')

async function set(archived: boolean) {
  await keep(
    answer(
      await api.PUT('/api/guidelines/{guideline_id}/archived', {
        params: { path: { guideline_id: props.id } },
        body: { archived },
      }),
    ),
  )
}
async function archive(guideline: Guideline) {
  problem.value = null
  const before = guideline.said.archived
  try {
    await set(!before)
    done(before ? 'The guideline is back in the list.' : 'The guideline is archived.', () => set(before))
  } catch (caught) {
    problem.value = caught as Error
  }
}
</script>

<template>
  <div class="page" data-test="guideline">
    <ProblemNote :error="error ?? problem" />
    <template v-if="data">
      <header class="page-head">
        <h1>{{ data.said.statement }}</h1>
        <span v-if="me?.may_operate && !editing" class="d-flex ga-2">
          <v-btn variant="text" @click="editing = true">Edit guideline</v-btn>
          <v-btn variant="text" @click="archive(data)">{{
            data.said.archived ? 'Restore guideline' : 'Archive guideline'
          }}</v-btn>
        </span>
      </header>
      <GuidelineForm
        v-if="editing"
        :key="data.said.id"
        :guideline="data"
        @saved="
          (found) => {
            editing = false
            void keep(found)
          }
        "
        @back="editing = false"
      />
      <p class="quiet mt-0">{{ data.said.about }} {{ data.by }}, {{ day(data.at) }}.</p>
      <p class="text" data-test="summary">
        <strong>{{ data.said.state_label }}.</strong> {{ data.said.summary }}
      </p>
      <p v-if="data.said.waiting" role="status" class="quiet">
        Tests still being worked out: {{ data.said.waiting }}. The figures change with them.
      </p>
      <EffectsTable v-if="data.by_engine.length" :guideline="data" />
      <v-table v-if="data.by_test.length" class="close mt-6" data-test="by-test">
        <caption class="text-left quiet">
          Tests whose setups differ in this part alone:
          {{
            data.said.counts
          }}
        </caption>
        <thead>
          <tr>
            <th class="words">Test</th>
            <th class="words">Setups</th>
            <th class="words">Effect of a step</th>
            <th class="words">Speaks</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, index) in data.by_test" :key="index">
            <td class="words py-2">
              <router-link :to="{ name: 'verdict', params: { id: row.programme_id } }">{{
                row.question
              }}</router-link>
              <div class="quiet small">{{ row.engine }}, {{ day(row.ran_at) }}, {{ row.nature }}</div>
            </td>
            <td class="words">
              <div v-for="setup in row.setups" :key="setup.letter">{{ setup.letter }} {{ setup.amount }}</div>
            </td>
            <td class="words">
              {{ row.effect.words }}
              <div v-for="note in row.notes" :key="note" class="quiet small">{{ note }}</div>
            </td>
            <td class="words">{{ row.counts ? BEARINGS[row.bearing] : 'not counted here' }}</td>
          </tr>
        </tbody>
      </v-table>
      <p v-for="row in data.apart" :key="row.nature" class="text" data-test="apart">
        Apart, {{ row.nature }}, {{ row.engines === 1 ? 'one engine' : `${row.engines} engines` }}:
        {{ row.effect.words }}.
      </p>
      <DisclosurePanel
        v-if="data.unused.length"
        class="mt-4"
        :title="`Tests with such parts that say nothing: ${data.unused.length}`"
      >
        <ul class="plain-list pa-0 ma-0">
          <li v-for="row in data.unused" :key="row.programme_id" class="py-1">
            <router-link :to="{ name: 'verdict', params: { id: row.programme_id } }">{{
              row.question
            }}</router-link>
            <span class="quiet"> {{ row.why }}</span>
          </li>
        </ul>
      </DisclosurePanel>
      <ExplanationsPanel :guideline="data" :may-operate="me?.may_operate ?? false" />
    </template>
  </div>
</template>
