<script setup lang="ts">
/** The planned day against the clock, the day as it goes, and what is left of the paid time. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { clock, day as date, figure, money } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'
import DayTimeline from './DayTimeline.vue'

const props = defineProps<{ plan: Schema['PlanOut'] }>()
const { programme } = useFrame()
const { data: progress, error } = useQuery({
  queryKey: computed(() => ['progress', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/progress', { params: { path: { programme_id } } })),
  refetchInterval: 20_000,
})
const day = computed(() => props.plan.summary.day)
const visits = computed(() => {
  const stretches = day.value?.stretches ?? []
  return stretches
    .filter((one) => one.doing === 'visit')
    .map((one) => ({
      ...one,
      pulls: props.plan.draft.order[one.visit]?.pulls,
      done: props.plan.visits_pulled.includes(one.visit),
      change: stretches.find((other) => other.doing === 'change' && other.visit === one.visit),
    }))
})
const late = computed(() => {
  const minutes = progress.value?.late_min
  if (minutes === null || minutes === undefined) return ''
  if (Math.abs(minutes) < 1) return 'on time'
  return minutes > 0
    ? `${figure(minutes, 0)} min behind the plan`
    : `${figure(-minutes, 0)} min ahead of the plan`
})
const beyond = computed(() => progress.value?.left.filter((one) => !one.fits).length ?? 0)
</script>

<template>
  <div>
    <ProblemNote :error="error" />
    <p v-if="!day" class="text">There is no running order yet. Edit the plan to find one.</p>
    <template v-else>
      <div class="strip d-flex flex-wrap gr-1 gc-7 align-baseline">
        <p class="size-22" data-test="finish">
          {{ figure(day.total_min, 0) }} min planned<template v-if="day.finishes_at"
            >, done at {{ clock(day.finishes_at) }}</template
          >
        </p>
        <p v-if="progress?.planned_start" class="quiet">{{ date(progress.planned_start) }}</p>
        <p v-if="day.fuel !== null">
          {{ figure(day.fuel) }} {{ day.fuel_unit }} of fuel<template v-if="day.fuel_available !== null">
            of {{ figure(day.fuel_available) }}</template
          >
          <span class="quiet">&ensp;{{ day.fuel_basis }}</span>
        </p>
        <p v-if="day.price !== null">{{ money(day.price) }} for the stand</p>
      </div>
      <p v-if="progress?.projected && progress.paid_until" class="text" data-test="projected">
        It will be over at {{ clock(progress.projected) }}, {{ late }}. Paid until
        {{ clock(progress.paid_until) }}: {{ figure(progress.paid_left_min, 0) }} min are left<template
          v-if="beyond"
          >, and {{ beyond }} {{ beyond === 1 ? 'visit does' : 'visits do' }} not fit any more</template
        >.
      </p>
      <p v-else-if="progress?.projected" class="text" data-test="projected">
        It will be over at {{ clock(progress.projected)
        }}<template v-if="!progress.late_min && progress.late_min !== 0"> if it goes on now</template
        ><template v-if="late">, {{ late }}</template
        >.
      </p>
      <p v-else-if="progress?.done.length" class="text">Everything planned has been pulled.</p>
      <DayTimeline
        :day="day"
        :positions="plan.positions"
        :sessions="plan.draft.sessions ?? []"
        :progress="progress"
      />
      <ul v-if="day.broken.length" class="notes prose size-15 my-2 mx-0 pa-0 plain-list">
        <li v-for="line in day.broken" :key="line">{{ line }}</li>
      </ul>
      <h2 class="mt-4">Running order</h2>
      <v-table class="figures order" data-test="order">
        <thead>
          <tr>
            <th>{{ day.stretches[0]?.starts_at ? 'At' : 'Minute' }}</th>
            <th class="words">Setup</th>
            <th>Pulls that count</th>
            <th class="words">Change before it</th>
            <th>Takes, min</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="visit in visits" :key="visit.visit" :class="{ done: visit.done }">
            <td>{{ visit.starts_at ? clock(visit.starts_at) : figure(visit.start_min, 0) }}</td>
            <td class="words">
              <span class="head d-flex ga-2 align-center">
                <SetupMark :position="plan.positions[visit.setup]!" :size="20" />
                {{ plan.draft.setups[visit.setup]!.name }}
                <span v-if="visit.done" class="quiet small">pulled</span>
              </span>
            </td>
            <td>{{ visit.pulls }}</td>
            <td class="words">
              <template v-if="visit.change">
                {{ figure(visit.change.end_min - visit.change.start_min, 0) }} min:
                {{ visit.change.touched.join(', ').toLowerCase() }}
              </template>
            </td>
            <td>{{ figure(visit.end_min - visit.start_min, 0) }}</td>
          </tr>
        </tbody>
      </v-table>
      <p class="quiet small">
        Change-over times are the plan's, or common practice. Safety work is never shortened to save time:
        drop a test instead.
      </p>
    </template>
  </div>
</template>

<style scoped>
.strip p {
  margin: 0 0 6px;
}
.notes li {
  border-left: 4px solid var(--hand);
  padding: 2px 10px;
  margin-bottom: 4px;
}
.done {
  color: var(--quiet);
}
</style>
