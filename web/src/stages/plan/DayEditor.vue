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
const { draft, told, positions, search, found } = props.plan
const order = useTemplateRef<InstanceType<typeof OrderList>>('order')
const day = computed(() => told.value?.day ?? null)
const beyond = computed(() =>
  found.value && day.value && !search.running.value ? day.value.total_min - found.value.total_min : null,
)
/** An order with more setups than the one that was found is no worse: it holds more. */
const holdsMore = computed(() => found.value?.dropped.some((place) => !day.value?.missing.includes(place)))
</script>

<template>
  <section>
    <div v-if="day" class="strip">
      <p class="loud" data-test="finish">
        {{ figure(day.total_min, 0) }} min<template v-if="day.finishes_at"
          >, done at {{ clock(day.finishes_at) }}</template
        >
      </p>
      <p
        v-if="day.fuel !== null"
        class="figure"
        :class="{ over: day.fuel_available !== null && day.fuel > day.fuel_available }"
      >
        {{ figure(day.fuel) }} {{ day.fuel_unit }} of fuel
        <span v-if="day.fuel_available !== null">of {{ figure(day.fuel_available) }}</span>
        <span class="quiet">&ensp;{{ day.fuel_told }}</span>
      </p>
      <p v-else class="figure quiet">{{ day.fuel_told }}</p>
      <p v-if="day.price !== null" class="figure">{{ money(day.price) }} for the stand</p>
      <p v-if="beyond !== null && beyond > 0.5" class="figure hand-note" data-test="cost">
        {{ figure(beyond, 0) }} min more than {{ holdsMore ? 'the order that fits' : 'the best order' }}
      </p>
    </div>
    <p v-if="told?.day_problem" class="message" role="alert">{{ told.day_problem }}</p>
    <DayTimeline v-if="day" :day="day" :positions="positions" :sessions="draft.sessions ?? []" />
    <ul v-if="day?.broken.length" class="notes" data-test="broken">
      <li v-for="line in day.broken" :key="line">{{ line }}</li>
    </ul>
    <p v-if="day?.missing.length" class="text">
      Not in the order:
      <button
        v-for="place in day.missing"
        :key="place"
        type="button"
        class="more"
        @click="order?.addVisit(place)"
      >
        add {{ letterOf(positions[place]!) }}
      </button>
    </p>
    <div class="columns">
      <OrderList ref="order" :plan="plan" />
      <DayForm :plan="plan" />
    </div>
  </section>
</template>

<style scoped>
.strip {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 28px;
}
.loud {
  font-size: 22px;
  margin: 0 0 6px;
}
.figure {
  margin: 0;
}
.over {
  color: var(--stop);
}
.notes {
  font-family: var(--text);
  font-size: 15px;
  line-height: 1.4;
  margin: 8px 0;
  padding: 0;
  list-style: none;
}
.notes li {
  border-left: 4px solid var(--hand);
  padding: 2px 10px;
  margin-bottom: 4px;
}
.columns {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 36px;
  margin-top: 16px;
  align-items: start;
}
.more {
  text-decoration: underline;
  margin-right: 8px;
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: 1fr;
  }
}
</style>
