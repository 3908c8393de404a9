<script setup lang="ts">
/** The plan of a programme: the order, what its setups can tell apart, and how many pulls a difference takes. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem } from '../api/client'
import ProblemNote from '../components/ProblemNote.vue'
import { figure } from '../figures'
import ExpectationsPanel from '../plan/ExpectationsPanel.vue'
import SetupMark from '../setups/SetupMark.vue'
import { useFrame } from './frame'

const { programme, setup, day } = useFrame()
const { data: questions, error } = useQuery({
  queryKey: computed(() => ['questions', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/questions', { params: { path: { programme_id } } })),
})
const difference = ref(String(programme.value.smallest_difference_percent))
const { data: needed, error: neededError } = useQuery({
  queryKey: computed(() => ['needed', programme.value.id, difference.value] as const),
  queryFn: async ({ queryKey: [, programme_id, text] }) =>
    answer(
      await api.GET('/api/programmes/{programme_id}/pulls-needed', {
        params: { path: { programme_id }, query: { difference_percent: Number(text) } },
      }),
    ),
  enabled: () => Number.isFinite(Number(difference.value)) && difference.value.trim() !== '',
  placeholderData: (before) => before,
})
const wrong = computed(() => {
  if (!Number.isFinite(Number(difference.value))) return 'Type per cent, like 0.5.'
  const problem = neededError.value
  return problem instanceof Problem ? (problem.fields.difference_percent ?? problem.message) : ''
})
const WORDS: Record<string, string> = {
  direct: 'answered',
  adding_up: 'answered, adding up',
  together: 'only as a package',
  no: 'not answered',
}
const left = computed(() => new Map(day.value.planned.map((step) => [step.setup_id, step.pulls])))
</script>

<template>
  <div class="plan">
    <ProblemNote :error="error" />
    <div class="columns">
      <div>
        <h2>What the setups can tell</h2>
        <p v-if="questions?.addition" class="text flag">{{ questions.addition }}</p>
        <table v-if="questions?.answers.length" class="figures" data-test="questions">
          <tbody>
            <tr v-for="row in questions.answers" :key="row.question">
              <td class="words">
                <strong>{{ row.question }}</strong>
                <div class="told">{{ row.told }}</div>
              </td>
              <td class="words standing">
                <span :class="{ 'hand-note': row.standing === 'together' || row.standing === 'no' }">
                  {{ WORDS[row.standing] }}
                </span>
              </td>
            </tr>
          </tbody>
        </table>
        <p v-else-if="questions" class="text">
          The setups do not differ in any part: there is nothing to tell.
        </p>
        <p class="quiet told">
          <router-link :to="{ name: 'engine', query: { tab: 'setups' } }">Setups slot by slot</router-link>,
          with what does not fit and what would not be fair.
        </p>

        <ExpectationsPanel class="next" />

        <h2 class="next">Running order</h2>
        <ol v-if="questions" class="order">
          <li v-for="(step, place) in questions.order" :key="place">
            <SetupMark :position="setup(step.setup_id).position" :size="20" />
            {{ setup(step.setup_id).name }}
            <span class="quiet">{{ step.pulls }} {{ step.pulls === 1 ? 'pull' : 'pulls' }}</span>
          </li>
        </ol>
        <p class="quiet told">
          {{
            left.size
              ? 'Still to pull stands hollow in the ribbon above.'
              : 'Everything planned has been pulled.'
          }}
        </p>
      </div>
      <div>
        <h2>Pulls a side to find a difference</h2>
        <label class="difference">
          A difference of
          <input
            v-model="difference"
            inputmode="decimal"
            aria-label="Difference in per cent"
            :aria-invalid="Boolean(wrong)"
          />
          %
        </label>
        <p v-if="wrong" class="message" role="alert">{{ wrong }}</p>
        <template v-else-if="needed">
          <p class="loud" data-test="needed">
            <template v-if="needed.pulls !== null">{{ needed.pulls }} pulls a side</template>
            <template v-else>more pulls than a day has</template>
          </p>
          <p class="text">
            find it in {{ figure(needed.chance_percent, 0) }} of 100 such days, called with 95 % confidence.
            One pull scatters {{ figure(needed.scatter_percent, 2) }} %:
            <template v-if="needed.degrees_of_freedom">
              from {{ needed.programmes }} {{ needed.programmes === 1 ? 'programme' : 'programmes' }} of this
              engine, {{ needed.degrees_of_freedom }} degrees of freedom.
            </template>
            <template v-else>
              <span class="hand-note">a default: no setup of this engine has been pulled twice</span>
            </template>
          </p>
          <table class="figures">
            <caption class="visually-hidden">
              Chance of finding the difference by number of pulls a side
            </caption>
            <thead>
              <tr>
                <th>Pulls a side</th>
                <th>Found in</th>
                <th class="words"><span class="visually-hidden">As a bar</span></th>
              </tr>
            </thead>
            <tbody>
              <tr
                v-for="point in needed.curve"
                :key="point.pulls"
                :class="{ chosen: point.pulls === needed.pulls }"
              >
                <td>{{ point.pulls }}</td>
                <td>{{ figure(point.percent, 0) }} %</td>
                <td class="words bar"><span :style="{ width: `${point.percent}%` }"></span></td>
              </tr>
            </tbody>
          </table>
          <p class="quiet told">
            Scatter of refitting a part is not in it: remove and refit once, with the baseline between, if the
            difference is small.
          </p>
        </template>
        <h2 class="next">Held constant</h2>
        <p class="text">{{ programme.held_constant || 'Nothing is written down.' }}</p>
        <p class="quiet told">
          Sweep {{ programme.sweep_start_rpm }} to {{ programme.sweep_end_rpm }} rpm at
          {{ programme.sweep_rate_rpm_s }} rpm/s; compared from {{ programme.low_rpm }} to
          {{ programme.high_rpm }} rpm.
        </p>
      </div>
    </div>
  </div>
</template>

<style scoped>
.plan {
  padding: 18px;
  max-width: 1220px;
}
.columns {
  display: grid;
  grid-template-columns: 1.2fr 1fr;
  gap: 48px;
}
.flag {
  border-left: 4px solid var(--hand);
  padding-left: 10px;
  margin: 0 0 10px;
}
.told {
  font-family: var(--text);
  font-size: 15px;
}
.told a {
  color: var(--ink);
}
.standing {
  white-space: nowrap !important;
  text-align: right !important;
}
.next {
  margin-top: 26px;
}
.order {
  list-style: none;
  padding: 0;
  margin: 0;
}
.order li {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 0;
}
.difference input {
  width: 70px;
  text-align: right;
}
.loud {
  font-size: 22px;
  margin: 12px 0 4px;
}
.text {
  margin: 0 0 10px;
}
td {
  padding: 4px 8px !important;
}
.bar {
  width: 50%;
}
.bar span {
  display: block;
  height: 8px;
  background: var(--quiet);
}
.chosen td {
  font-weight: 700;
}
.chosen .bar span {
  background: var(--ink);
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: 1fr;
  }
}
</style>
