<script setup lang="ts">
/** How many pulls per setup find a difference, from the engine's own scatter or a named default. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { figure } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import TermTip from '../../ui/TermTip.vue'

const { programme } = useFrame()
const difference = ref(String(programme.value.smallest_difference_percent))
const confidence = ref('95')
const { data: needed, error: neededError } = useQuery({
  queryKey: computed(() => ['needed', programme.value.id, difference.value, confidence.value] as const),
  queryFn: async ({ queryKey: [, programme_id, text, sure] }) =>
    answer(
      await api.GET('/api/programmes/{programme_id}/pulls-needed', {
        params: {
          path: { programme_id },
          query: { difference_percent: Number(text), confidence_percent: Number(sure) },
        },
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
const WIDTH = 420
const HEIGHT = 130
const points = computed(() => {
  const curve = needed.value?.curve ?? []
  const last = curve.at(-1)?.pulls ?? 1
  return curve.map((point) => ({
    ...point,
    x: ((point.pulls - 2) / Math.max(last - 2, 1)) * WIDTH,
    y: HEIGHT - (point.percent / 100) * HEIGHT,
    without: HEIGHT - (point.without_return_percent / 100) * HEIGHT,
  }))
})
</script>

<template>
  <section>
    <h2>Pulls per setup to find a difference</h2>
    <p class="difference d-flex flex-wrap gr-1 gc-3 ma-0">
      <label>
        A difference of
        <v-text-field
          v-model="difference"
          inputmode="decimal"
          class="number w-76"
          aria-label="Difference in per cent"
          :error="Boolean(wrong)"
        />
        %
      </label>
      <span class="with">
        called with
        <v-select
          v-model="confidence"
          aria-label="Confidence"
          :items="['80', '90', '95', '99'].map((one) => ({ value: one, label: `${one} %` }))"
        />
        confidence
      </span>
    </p>
    <p v-if="wrong" class="message" role="alert">{{ wrong }}</p>
    <template v-else-if="needed">
      <p class="size-22 mt-3 mb-1 mx-0" data-test="needed">
        <template v-if="needed.pulls !== null">{{ needed.pulls }} pulls per setup</template>
        <template v-else>more pulls than a day has</template>
      </p>
      <p class="text">
        and {{ needed.return_pulls }} more of the first setup at the end find it in
        {{ figure(needed.chance_percent, 0) }} of 100 such days; without that return it takes
        {{ needed.pulls_without_return ?? 'more than a day has' }}. From day to day the engine
        <TermTip term="drift">drifts</TermTip> by {{ figure(needed.drift_percent_per_pull, 2) }} % per pull,
        up or down. One pull <TermTip term="scatter">scatters</TermTip>
        {{ figure(needed.scatter_percent, 2) }} %:
        <template v-if="needed.degrees_of_freedom">
          from {{ needed.programmes }} {{ needed.programmes === 1 ? 'test' : 'tests' }} of this engine,
          {{ needed.degrees_of_freedom }} degrees of freedom.
        </template>
        <template v-else>
          <span class="hand-note">default (too few repeat pulls on this engine)</span>
        </template>
      </p>
      <svg
        :viewBox="`-42 -8 ${WIDTH + 58} ${HEIGHT + 34}`"
        role="img"
        aria-label="Chance of finding the difference by pulls per setup; the table below has the figures"
      >
        <template v-for="share in [0, 50, 80, 100]" :key="share">
          <line
            x1="0"
            :x2="WIDTH"
            :y1="HEIGHT * (1 - share / 100)"
            :y2="HEIGHT * (1 - share / 100)"
            stroke="var(--line)"
          />
          <text x="-6" :y="HEIGHT * (1 - share / 100) + 4" text-anchor="end">{{ share }} %</text>
        </template>
        <polyline
          :points="points.map((point) => `${point.x},${point.y}`).join(' ')"
          fill="none"
          stroke="var(--ink)"
          stroke-width="2"
        />
        <polyline
          :points="points.map((point) => `${point.x},${point.without}`).join(' ')"
          fill="none"
          stroke="var(--quiet)"
          stroke-width="1.5"
          stroke-dasharray="5 4"
        />
        <g v-for="point in points" :key="point.pulls">
          <circle :cx="point.x" :cy="point.y" :r="point.pulls === needed.pulls ? 6 : 3" fill="var(--ink)" />
          <text :x="point.x" :y="HEIGHT + 18" text-anchor="middle">{{ point.pulls }}</text>
        </g>
      </svg>
      <v-table class="figures">
        <caption class="visually-hidden">
          Chance of finding the difference by number of pulls per setup
        </caption>
        <thead>
          <tr>
            <th class="words">Pulls per setup</th>
            <th v-for="point in needed.curve" :key="point.pulls">{{ point.pulls }}</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <th class="words" scope="row">Found in, % with the return</th>
            <td
              v-for="point in needed.curve"
              :key="point.pulls"
              :class="{ chosen: point.pulls === needed.pulls }"
            >
              {{ figure(point.percent, 0) }}
            </td>
          </tr>
          <tr>
            <th class="words" scope="row">without it</th>
            <td v-for="point in needed.curve" :key="point.pulls">
              {{ figure(point.without_return_percent, 0) }}
            </td>
          </tr>
        </tbody>
      </v-table>
      <p class="quiet prose size-15">
        Scatter of refitting a part is not in it: remove and refit once, with the baseline between, if the
        difference is small.
      </p>
    </template>
  </section>
</template>

<style scoped>
svg {
  width: 100%;
  max-width: 480px;
}
svg text {
  font-size: 11px;
  fill: var(--quiet);
}
.chosen {
  font-weight: 700;
}
</style>
