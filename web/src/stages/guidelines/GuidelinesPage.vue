<script setup lang="ts">
/** What the shop holds to be so over all its tests, and how each statement fares by them now. */
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { useMe } from '../../app/api/queries'
import { useKeys } from '../../app/keys'
import { useAddress } from '../../app/useAddress'
import ProblemNote from '../../ui/ProblemNote.vue'
import GuidelineForm from './GuidelineForm.vue'
import { useGuidelines, useKeepGuideline } from './useGuidelines'

const archived = useAddress('archived')
const { data, error } = useGuidelines(() => archived.value === 'yes')
const { data: me } = useMe()
const router = useRouter()
const keep = useKeepGuideline()
const adding = ref(false)
useKeys([
  {
    key: 'n',
    label: 'N',
    does: 'Write a guideline',
    press: () => (adding.value = me.value?.may_operate ?? false),
  },
])
</script>

<template>
  <div class="page" data-test="guidelines">
    <header class="page-head">
      <h1>Guidelines</h1>
      <v-btn v-if="me?.may_operate && !adding" color="hand" variant="flat" @click="adding = true"
        >New guideline <kbd>N</kbd></v-btn
      >
    </header>
    <ProblemNote :error="error" />
    <GuidelineForm
      v-if="adding"
      @saved="
        (made) => {
          void keep(made)
          void router.push({ name: 'guideline', params: { id: made.said.id } })
        }
      "
      @back="adding = false"
    />
    <v-table v-if="data?.length" class="close" data-test="guideline-list">
      <thead>
        <tr>
          <th class="words">Guideline</th>
          <th class="words">By the tests</th>
          <th class="words">Tests</th>
          <th class="words">Engines</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in data" :key="row.id">
          <td class="words py-2">
            <router-link :to="{ name: 'guideline', params: { id: row.id } }">{{ row.statement }}</router-link>
            <div class="quiet small">{{ row.about }}</div>
          </td>
          <td class="words py-2">
            <strong>{{ row.state_label }}</strong>
            <div class="quiet small">{{ row.summary }}</div>
          </td>
          <td class="words">{{ row.counts }}</td>
          <td class="words">{{ row.engines }}</td>
        </tr>
      </tbody>
    </v-table>
    <p v-else-if="data && !adding" class="text">
      {{
        archived === 'yes'
          ? 'No guideline is archived.'
          : 'No guideline yet. Write what you hold to be so: the tests for and against it gather by themselves.'
      }}
    </p>
    <p class="mt-4">
      <v-btn variant="text" @click="archived = archived === 'yes' ? '' : 'yes'">{{
        archived === 'yes' ? 'Show the list' : 'Show archived'
      }}</v-btn>
    </p>
  </div>
</template>
