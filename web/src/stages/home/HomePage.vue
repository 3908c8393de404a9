<script setup lang="ts">
/** The tests of the shop: where each stands, what it says so far, and what needs a hand today. */
import { useQuery } from '@tanstack/vue-query'
import { computed, defineAsyncComponent, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api } from '../../app/api/client'
import { useMe } from '../../app/api/queries'
import { saveFile } from '../../app/api/saveFile'
import { useKeys } from '../../app/keys'
import ArchiveMenu from '../../ui/ArchiveMenu.vue'
import { clock, day } from '../../ui/figures'
import PagedTable from '../../ui/PagedTable.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { usePaged } from '../../ui/usePaged'
import { copyOf, NEW_PLAN } from '../plan/copy'
import { useHome } from '../shop/queries'
import VerdictLine from './VerdictLine.vue'

/** Seldom used, and what a new shop or an empty list shows: they come after the first screen. */
const FirstSteps = defineAsyncComponent(() => import('./FirstSteps.vue'))
const OpenTests = defineAsyncComponent(() => import('../plan/OpenTests.vue'))
const NextPulls = defineAsyncComponent(() => import('./NextPulls.vue'))
const ImportTests = defineAsyncComponent(() => import('./ImportTests.vue'))
const VEmptyState = defineAsyncComponent(
  async () => (await import('vuetify/components/VEmptyState')).VEmptyState,
)
const { data: me } = useMe()
const { data: home } = useHome() // counts archived ones too
const router = useRouter()
const { search, page, sortBy, archived, asked } = usePaged()
const { data, error, isFetching } = useQuery({
  queryKey: computed(() => ['programmes', 'table', asked.value] as const),
  queryFn: async ({ queryKey: [, , query] }) =>
    answer(await api.GET('/api/tests-table', { params: { query } })),
  placeholderData: (before) => before,
})
const COLUMNS = [
  { key: 'question', title: 'Test', sortable: true },
  { key: 'stage', title: 'Stage' },
  { key: 'last', title: 'Last pull', sortable: true },
  { key: 'verdict', title: 'So far' },
  { key: 'more', title: 'More' },
]
const waiting = computed(() => (data.value?.rows ?? []).filter((test) => test.needs.length))
const problem = ref<Error | null>(null)

/** Opens the planner with the plan of another test, as if it had been typed there. */
async function copy(programme_id: number) {
  problem.value = null
  try {
    const plan = answer(await api.GET('/api/plans/{programme_id}', { params: { path: { programme_id } } }))
    sessionStorage.setItem(NEW_PLAN, JSON.stringify(copyOf(plan.draft)))
    await router.push({ name: 'new-programme' })
  } catch (caught) {
    problem.value = caught as Error
  }
}
const plan = () => void router.push({ name: 'new-programme' })
useKeys([
  { key: 'n', label: 'N', does: 'Plan a new test', press: () => me.value?.may_operate && plan() },
  { key: 'x', label: 'X', does: 'Practice', press: () => void router.push({ name: 'practice' }) },
])
</script>

<template>
  <div class="page">
    <header class="page-head">
      <h1>Tests</h1>
      <span v-if="me?.may_operate" class="d-flex ga-2">
        <v-btn :to="{ name: 'practice' }">Practice</v-btn>
        <ImportTests />
        <v-btn
          :color="data?.total ? 'hand' : undefined"
          :variant="data?.total ? 'flat' : 'outlined'"
          :to="{ name: 'new-programme' }"
          >New test <kbd>N</kbd></v-btn
        >
      </span>
    </header>
    <ProblemNote :error="problem" />
    <FirstSteps v-if="!archived" />
    <section v-if="waiting.length" class="border on-panel px-4 py-3 mb-4" aria-labelledby="waiting">
      <h2 id="waiting">Needs a hand</h2>
      <ul class="plain-list pa-0 hand-lines">
        <li v-for="test in waiting" :key="test.id">
          <router-link :to="{ name: 'pulls', params: { id: test.id } }">{{ test.question }}</router-link>:
          {{ test.needs.join('; ') }}
        </li>
      </ul>
    </section>
    <PagedTable
      v-model:search="search"
      v-model:page="page"
      v-model:sort-by="sortBy"
      noun="test"
      placeholder="Question, engine, setup…"
      :columns="COLUMNS"
      :rows="data?.rows"
      :total="data?.total ?? 0"
      :busy="isFetching"
      :error="error"
    >
      <template #empty>
        <v-empty-state
          :title="archived ? 'Nothing is archived' : 'No test yet'"
          :text="
            archived
              ? 'Tests that are archived leave the list and come back from here.'
              : 'A test is a question, the setups that compete, and the order in which they are pulled.'
          "
        />
      </template>
      <template #row="{ item: test }">
        <tr>
          <td class="words question py-2">
            <router-link class="font-weight-bold" :to="{ name: 'curves', params: { id: test.id } }">{{
              test.question
            }}</router-link>
            <div class="quiet small">
              {{ test.engine }} · {{ day(test.created_at) }} · {{ test.created_by }}
            </div>
            <div class="d-flex flex-wrap ga-1 mt-1">
              <span v-for="setup in test.setups" :key="setup.id" :title="`${setup.letter} ${setup.name}`">
                <SetupMark :position="setup.position" :size="20" />
                <span class="visually-hidden">{{ setup.letter }} {{ setup.name }}</span>
              </span>
            </div>
          </td>
          <td class="words">
            {{ test.stage }}
            <div v-for="need in test.needs" :key="need" class="hand-note d-block mt-1">{{ need }}</div>
          </td>
          <td class="text-no-wrap">
            <template v-if="test.last_pull">
              <SetupMark
                :position="test.setups.find((one) => one.id === test.last_pull!.setup_id)?.position ?? 0"
                :size="20"
              />
              Pull {{ test.last_pull.number }}
              <div class="quiet small">{{ day(test.last_pull.at) }} {{ clock(test.last_pull.at) }}</div>
            </template>
            <span v-else class="quiet">none yet</span>
          </td>
          <td class="words prose size-15"><VerdictLine v-if="test.last_pull" :programme="test.id" /></td>
          <td class="text-right">
            <ArchiveMenu
              v-if="me?.may_operate"
              :id="test.id"
              kind="programme"
              :name="test.question"
              :archived="archived"
            >
              <v-list-item title="Copy as a new test" @click="copy(test.id)" />
              <v-list-item title="Save as one file" @click="saveFile(`/api/programmes/${test.id}/archive`)" />
            </ArchiveMenu>
          </td>
        </tr>
      </template>
    </PagedTable>
    <template v-if="data?.total && !archived">
      <NextPulls />
      <OpenTests />
    </template>
    <v-btn
      v-if="me?.may_operate && (archived || home?.programmes)"
      variant="text"
      class="mt-4"
      @click="archived = !archived"
    >
      {{ archived ? 'Show current tests' : 'Show archived tests' }}
    </v-btn>
  </div>
</template>

<style scoped>
.question {
  width: 36%;
  min-width: 240px;
}
</style>
