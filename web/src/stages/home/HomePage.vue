<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api } from '../../app/api/client'
import { useMe, useProgrammes } from '../../app/api/queries'
import ArchiveMenu from '../../ui/ArchiveMenu.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { day } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import { copyOf, NEW_PLAN } from '../plan/copy'
import ImportTest from './ImportTest.vue'
import OpenTests from '../plan/OpenTests.vue'
import SetupMark from '../../ui/setups/SetupMark.vue'
import FirstSteps from './FirstSteps.vue'
import { useHome } from '../shop/queries'

const archived = ref(false)
const { data: programmes, error, isPending } = useProgrammes(archived)
const { data: me } = useMe()
const { data: home } = useHome() // counts archived ones too
const router = useRouter()
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
useKeys([
  {
    key: 'n',
    label: 'N',
    does: 'Plan a new test',
    press: () => void router.push({ name: 'new-programme' }),
  },
])
</script>

<template>
  <div class="most-900 pa-4">
    <header class="page-head">
      <h1>Tests</h1>
      <template v-if="me?.may_operate">
        <ImportTest />
        <v-btn
          :color="programmes?.length ? 'hand' : undefined"
          :variant="programmes?.length ? 'flat' : 'outlined'"
          :to="{ name: 'new-programme' }"
          >New test</v-btn
        >
      </template>
    </header>
    <ProblemNote :error="error ?? problem" />
    <FirstSteps v-if="!archived" />
    <p v-if="isPending" class="text quiet">Loading…</p>
    <p v-else-if="programmes && !programmes.length" class="text">
      {{ archived ? 'Nothing is archived.' : 'No test yet.' }}
    </p>
    <ol v-else-if="programmes" class="entries">
      <li v-for="programme in programmes" :key="programme.id">
        <span class="d-flex justify-space-between ga-2">
          <router-link :to="{ name: 'curves', params: { id: programme.id } }">{{
            programme.question
          }}</router-link>
          <ArchiveMenu
            v-if="me?.may_operate"
            :id="programme.id"
            kind="programme"
            :name="programme.question"
            :archived="archived"
          >
            <v-list-item title="Copy as a new test" @click="copy(programme.id)" />
          </ArchiveMenu>
        </span>
        <span class="quiet"
          >{{ programme.engine }} · {{ day(programme.created_at) }} · {{ programme.created_by }}</span
        >
        <span class="setups d-flex flex-wrap ga-4">
          <span v-for="setup in programme.setups" :key="setup.id">
            <SetupMark :position="setup.position" :size="20" /> {{ setup.name }}
          </span>
        </span>
      </li>
    </ol>
    <OpenTests v-if="programmes?.length && !archived" />
    <v-btn
      v-if="me?.may_operate && (archived || home?.programmes)"
      variant="text"
      class="mt-4"
      @click="archived = !archived"
    >
      {{ archived ? 'Show current ones' : 'Show archived ones' }}
    </v-btn>
  </div>
</template>

<style scoped>
.setups > span {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}
</style>
