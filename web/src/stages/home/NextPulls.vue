<script setup lang="ts">
/** What verdicts of open tests cannot decide, and the pulls that would, the quickest first; one action plans them. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api } from '../../app/api/client'
import { figure, inMoney } from '../../ui/figures'
import ProblemNote from '../../ui/ProblemNote.vue'

const FIRST = 5
const queries = useQueryClient()
const router = useRouter()
const { data } = useQuery({
  queryKey: ['next-pulls'],
  queryFn: async () => answer(await api.GET('/api/next-pulls')),
  refetchInterval: (query) => (query.state.data?.waiting ? 10_000 : false),
})
const all = ref(false)
const rows = computed(() => (all.value ? data.value?.rows : data.value?.rows.slice(0, FIRST)) ?? [])
const priced = computed(() => data.value?.rows.some((row) => row.price !== null))
const problem = ref<Error | null>(null)
const busy = ref(false)

async function plan(programme_id: number) {
  busy.value = true
  problem.value = null
  try {
    answer(
      await api.POST('/api/programmes/{programme_id}/next-pulls', { params: { path: { programme_id } } }),
    )
    await queries.invalidateQueries({ queryKey: ['next-pulls'] })
    await router.push({ name: 'plan', params: { id: programme_id } })
  } catch (caught) {
    problem.value = caught as Error
  }
  busy.value = false
}
</script>

<template>
  <section v-if="data?.rows.length" class="mt-8" data-test="next-pulls">
    <h2>What would decide open tests</h2>
    <ProblemNote :error="problem" />
    <p v-if="data.waiting" role="status" class="quiet">Tests still being worked out: {{ data.waiting }}.</p>
    <v-table class="close">
      <thead>
        <tr>
          <th class="words">Test</th>
          <th class="words">Undecided, and what would decide it</th>
          <th class="text-right">Takes, min</th>
          <th v-if="priced" class="text-right">{{ inMoney('Costs') }}</th>
          <th class="words"><span class="visually-hidden">Plan</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.programme_id">
          <td class="words py-2">
            <router-link :to="{ name: 'verdict', params: { id: row.programme_id } }">{{
              row.question
            }}</router-link>
            <div class="quiet small">{{ row.engine }}</div>
          </td>
          <td class="words prose size-15">{{ row.sentence }}</td>
          <td class="text-right">{{ row.minutes === null ? '–' : figure(row.minutes, 0) }}</td>
          <td v-if="priced" class="text-right">{{ row.price === null ? '–' : figure(row.price, 0) }}</td>
          <td class="text-right">
            <v-btn v-if="row.may_plan" :disabled="busy" @click="plan(row.programme_id)"
              >Plan these pulls</v-btn
            >
            <span v-else-if="row.planned" class="quiet">planned</span>
          </td>
        </tr>
      </tbody>
    </v-table>
    <v-btn v-if="!all && data.rows.length > FIRST" variant="text" @click="all = true"
      >Show all {{ data.rows.length }}</v-btn
    >
  </section>
</template>
