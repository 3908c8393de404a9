<script setup lang="ts">
/** The day being planned: when it is over and what it costs, the time line, its running order and what it rests on. */
import { computed, useTemplateRef } from 'vue'

import { clock, figure, money } from '../../ui/figures'
import { letterOf } from '../../ui/setups/marks'
import DayForm from './DayForm.vue'
import DayTimeline from './DayTimeline.vue'
import OrderList from './OrderList.vue'
import type { PlanDraft } from './usePlanDraft'

const props = defineProps<{ plan: PlanDraft }>()
const { draft, concluded, positions, search, found } = props.plan
const order = useTemplateRef<InstanceType<typeof OrderList>>('order')
const day = computed(() => concluded.value?.day ?? null)
const beyond = computed(() =>
  found.value && day.value && !search.running.value ? day.value.total_min - found.value.total_min : null,
)
/** An order with more setups than the one that was found is no worse: it holds more. */
const holdsMore = computed(() => found.value?.dropped.some((place) => !day.value?.missing.includes(place)))
</script>

<template>
  <section>
    <div v-if="day" class="d-flex flex-wrap align-baseline gr-1 gc-7">
      <p class="size-22 mt-0 mb-1 mx-0" data-test="finish">
        {{ figure(day.total_min, 0) }} min<template v-if="day.finishes_at"
          >, done at {{ clock(day.finishes_at) }}</template
        >
      </p>
      <p
        v-if="day.fuel !== null"
        class="ma-0"
        :class="{ over: day.fuel_available !== null && day.fuel > day.fuel_available }"
      >
        {{ figure(day.fuel) }} {{ day.fuel_unit }} of fuel
        <span v-if="day.fuel_available !== null">of {{ figure(day.fuel_available) }}</span>
        <span class="quiet">&ensp;{{ day.fuel_basis }}</span>
      </p>
      <p v-else class="ma-0 quiet">{{ day.fuel_basis }}</p>
      <p v-if="day.price !== null" class="ma-0">{{ money(day.price) }} for the stand</p>
      <p v-if="beyond !== null && beyond > 0.5" class="ma-0 hand-note" data-test="cost">
        {{ figure(beyond, 0) }} min more than {{ holdsMore ? 'the order that fits' : 'the best order' }}
      </p>
    </div>
    <p v-if="concluded?.day_problem" class="message" role="alert">{{ concluded.day_problem }}</p>
    <DayTimeline v-if="day" :day="day" :positions="positions" :sessions="draft.sessions ?? []" />
    <ul
      v-if="day?.broken.length"
      class="notes prose size-15 line-text my-2 mx-0 pa-0 plain-list"
      data-test="broken"
    >
      <li v-for="line in day.broken" :key="line">{{ line }}</li>
    </ul>
    <p v-if="day?.missing.length" class="text">
      Not in the order:
      <v-link
        v-for="place in day.missing"
        :key="place"
        class="text-decoration-underline mr-2"
        @click="order?.addVisit(place)"
      >
        Add {{ letterOf(positions[place]!) }}
      </v-link>
    </p>
    <div class="split even mt-4">
      <OrderList ref="order" :plan="plan" />
      <DayForm :plan="plan" />
    </div>
  </section>
</template>

<style scoped>
.over {
  color: var(--stop);
}
.notes li {
  border-left: 4px solid var(--hand);
  padding: 2px 10px;
  margin-bottom: 4px;
}
</style>
