<script setup lang="ts">
/** Practice tests: making one, those there are, and how people do at them over time. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api, Problem } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import { useKeys } from '../../app/keys'
import { day, figure } from '../../ui/figures'
import ProblemNote from '../../ui/ProblemNote.vue'

const router = useRouter()
const { data, error } = useQuery({
  queryKey: ['practice'],
  queryFn: async () => answer(await api.GET('/api/practice')),
})
const traits = ref<string[]>([])
const surprise = ref(false)
const make = useAction(async () => {
  const made = answer(
    await api.POST('/api/practice', {
      body: { traits: surprise.value ? [] : traits.value, surprise: surprise.value },
    }),
  )
  await router.push({ name: 'plan', params: { id: made.programme_id } })
})
const wrong = computed(() =>
  make.error.value instanceof Problem ? make.error.value.fields.traits : undefined,
)
const isFull = computed(() => traits.value.length >= (data.value?.most_traits ?? 0))
const lost = (value: number | null) => (value === null ? '' : `${figure(value, 1)} %`)
const called = (isRight: boolean | null, percent: number | null) =>
  isRight === null ? '' : isRight ? 'right' : `lost ${lost(percent)}`
useKeys([
  {
    key: 'n',
    label: 'N',
    does: 'Make a practice test',
    press: () => data.value?.may_make && make.mutate(undefined),
  },
])
</script>

<template>
  <div class="page most-1180" data-test="practice">
    <header class="page-head">
      <h1>Practice</h1>
    </header>
    <ProblemNote :error="error ?? (wrong ? null : make.error.value)" />
    <p class="text">
      A practice test is planned, run on the simulated stand and decided like a real one. Then the stand
      reveals what its parts were worth.
    </p>
    <v-form v-if="data?.may_make" class="mb-6" data-test="make" @submit.prevent="make.mutate(undefined)">
      <fieldset class="border-0">
        <legend class="quiet">What makes it hard, at most {{ data.most_traits }}</legend>
        <v-checkbox
          v-for="one in data.traits"
          :key="one.value"
          v-model="traits"
          :value="one.value"
          :label="one.label"
          :disabled="surprise || (isFull && !traits.includes(one.value))"
          hide-details
        />
        <v-checkbox
          v-model="surprise"
          label="A surprise: drawn, and hidden until it is revealed"
          hide-details
        />
      </fieldset>
      <p v-if="wrong" class="message">{{ wrong }}</p>
      <v-btn type="submit" color="hand" variant="flat" class="mt-2" :disabled="make.isPending.value"
        >Make a practice test <kbd>N</kbd></v-btn
      >
    </v-form>
    <template v-if="data?.people.length">
      <v-table class="figures close mb-6" data-test="scores">
        <caption class="text-left quiet">
          Calls that were revealed. Lost: what the called setup makes less than the best one, over the duty
        </caption>
        <thead>
          <tr>
            <th class="words">Person</th>
            <th>Tests</th>
            <th>Right</th>
            <th>The verdict was right</th>
            <th>Lost, mean</th>
            <th>Lost, last five</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in data.people" :key="one.name">
            <td class="words">{{ one.name }}</td>
            <td>{{ one.tests }}</td>
            <td>{{ one.right }}</td>
            <td>{{ one.tool_right }}</td>
            <td>{{ lost(one.lost_percent) }}</td>
            <td>{{ lost(one.last_lost_percent) }}</td>
          </tr>
        </tbody>
      </v-table>
    </template>
    <v-table v-if="data?.rows.length" class="close" data-test="practice-tests">
      <caption class="text-left quiet">
        Practice tests
      </caption>
      <thead>
        <tr>
          <th class="words">Test</th>
          <th class="words">What made it hard</th>
          <th class="words">Called</th>
          <th class="words">Call</th>
          <th class="words">Verdict</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in data.rows" :key="one.programme_id">
          <td class="words py-2">
            <router-link
              :to="{ name: 'verdict', params: { id: one.programme_id }, query: { tab: 'practice' } }"
              >{{ one.question }}</router-link
            >
            <div class="quiet small">{{ one.made_by }} · {{ day(one.made_at) }}</div>
          </td>
          <td class="words">{{ one.traits.join('; ') || 'nothing beside scatter' }}</td>
          <template v-if="one.revealed_at">
            <td class="words">{{ one.call }}, {{ one.by }}</td>
            <td class="words">{{ called(one.is_right, one.lost_percent) }}</td>
            <td class="words">{{ called(one.tool_is_right, one.tool_lost_percent) }}</td>
          </template>
          <td v-else colspan="3" class="words quiet">not revealed</td>
        </tr>
      </tbody>
    </v-table>
  </div>
</template>
