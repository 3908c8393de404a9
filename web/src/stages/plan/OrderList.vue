<script setup lang="ts">
/** The running order: found, or dragged by hand; what was pulled stays where it is. */
import { computed, ref } from 'vue'

import { clock, figure } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { letterOf } from '../../ui/setups/marks'
import { moveVisit } from './draft'
import type { PlanDraft } from './usePlanDraft'

const props = defineProps<{ plan: PlanDraft }>()
const { draft, fields, concluded, positions, visitsPulled, begun, follows, search, found, findOrder } =
  props.plan
const day = computed(() => concluded.value?.day ?? null)
const dragged = ref(-1)
const target = ref(-1)

/** Where each visit of the order stands on the clock. */
const visits = computed(() => {
  const byVisit = new Map(
    day.value?.stretches.filter((one) => one.doing === 'visit').map((one) => [one.visit, one]),
  )
  const changes = new Map(
    day.value?.stretches.filter((one) => one.doing === 'change').map((one) => [one.visit, one]),
  )
  return draft.order.map((visit, place) => ({ visit, on: byVisit.get(place), change: changes.get(place) }))
})
const planned = computed(() =>
  draft.setups.map((setup, place) => ({ setup, place })).filter((one) => one.setup.candidate === 'in'),
)

function byHand() {
  follows.value = false
}

function move(from: number, to: number) {
  if (
    to < 0 ||
    to >= draft.order.length ||
    visitsPulled.value.includes(from) ||
    visitsPulled.value.includes(to)
  )
    return
  byHand()
  moveVisit(draft, from, to)
}

function drop(to: number) {
  if (dragged.value >= 0 && dragged.value !== to) move(dragged.value, to)
  dragged.value = target.value = -1
}

function addVisit(setup: number) {
  byHand()
  const last = draft.order.at(-1)
  draft.order.push({ id: null, setup, session: last?.session ?? 0, pulls: draft.setups[setup]!.pulls ?? '3' })
}
useKeys([{ key: 'f', label: 'F', does: 'Find the best running order', press: () => void find() }])

async function find() {
  if (begun.value) return
  follows.value = true
  await findOrder()
}
defineExpose({ addVisit })
</script>

<template>
  <div>
    <h2>Running order</h2>
    <div class="d-flex flex-wrap ga-2 align-center">
      <v-btn :disabled="begun" @click="find">Find the best order <kbd>F</kbd></v-btn>
      <v-btn v-if="search.running.value" @click="search.stop">Stop</v-btn>
      <span v-if="search.running.value" class="quiet" role="status">{{
        search.job.value?.progress_text || 'searching…'
      }}</span>
      <span v-else-if="begun" class="quiet">The day has begun: drag what is left.</span>
      <span v-else-if="follows" class="quiet" data-test="proven">
        {{
          found?.proven
            ? 'No order is shorter.'
            : found
              ? `At least ${figure(found.bound_min, 0)} min are needed.`
              : 'It follows the setups.'
        }}
      </span>
      <span v-else class="quiet">Ordered by hand.</span>
    </div>
    <p v-if="search.failure.value || search.error.value" class="message" role="alert">
      {{ search.failure.value || search.error.value?.message }}
    </p>
    <ul
      v-if="found?.advice.length && follows"
      class="notes prose size-15 line-text my-2 mx-0 pa-0 plain-list"
      data-test="advice"
    >
      <li v-for="line in found.advice" :key="line">{{ line }}</li>
    </ul>
    <p v-if="fields.order" class="message" role="alert">{{ fields.order }}</p>
    <ol class="order" data-test="order">
      <li
        v-for="({ visit, on, change }, place) in visits"
        :key="`${place} ${visit.setup}`"
        :draggable="!visitsPulled.includes(place)"
        :class="{ target: target === place, held: visitsPulled.includes(place) }"
        :data-setup="letterOf(positions[visit.setup]!)"
        @dragstart="dragged = place"
        @dragover.prevent="target = place"
        @dragend="dragged = target = -1"
        @drop.prevent="drop(place)"
      >
        <span class="when small quiet">{{
          on?.starts_at ? clock(on.starts_at) : on ? `${figure(on.start_min, 0)} min` : ''
        }}</span>
        <SetupMark :position="positions[visit.setup]!" :size="20" />
        <span class="name flex-fill">
          {{ draft.setups[visit.setup]!.name }}
          <small v-if="change" class="quiet">
            {{ figure(change.end_min - change.start_min, 0) }} min:
            {{ change.touched.join(', ').toLowerCase() }}
          </small>
        </span>
        <v-text-field
          v-model="visit.pulls"
          class="number w-60"
          :aria-label="`Pulls of visit ${place + 1}`"
          :error="Boolean(fields[`order.${place}.pulls`])"
          @input="byHand"
        />
        <v-select
          v-if="(draft.sessions?.length ?? 0) > 1"
          v-model="visit.session"
          :aria-label="`Session of visit ${place + 1}`"
          :items="(draft.sessions ?? []).map((_, session) => ({ value: session, label: session + 1 }))"
          @update:model-value="byHand"
        />
        <template v-if="!visitsPulled.includes(place)">
          <v-link :aria-label="`Visit ${place + 1} earlier`" @click="move(place, place - 1)"> ↑ </v-link>
          <v-link :aria-label="`Visit ${place + 1} later`" @click="move(place, place + 1)"> ↓ </v-link>
          <v-link
            :aria-label="`Remove visit ${place + 1}`"
            @click="
              () => {
                byHand()
                draft.order.splice(place, 1)
              }
            "
          >
            ×
          </v-link>
        </template>
        <span v-else class="quiet small">pulled</span>
        <p
          v-for="key in ['setup', 'pulls', 'session']"
          v-show="fields[`order.${place}.${key}`]"
          :key="key"
          class="message"
        >
          {{ fields[`order.${place}.${key}`] }}
        </p>
      </li>
    </ol>
    <p class="d-flex ga-2 align-center">
      <span class="quiet">Add a visit to</span>
      <v-link v-for="one in planned" :key="one.place" @click="addVisit(one.place)">
        <SetupMark :position="positions[one.place]!" :size="20" />
        <span class="visually-hidden">Add a visit to {{ letterOf(positions[one.place]!) }}</span>
      </v-link>
    </p>
  </div>
</template>

<style scoped>
.order {
  list-style: none;
  padding: 0;
  margin: 8px 0;
}
.order li {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  padding: 5px 4px;
  border-bottom: 1px solid var(--line);
  cursor: grab;
}
.order li.held {
  cursor: default;
  opacity: 0.65;
}
.order li.target {
  border-top: 3px solid var(--ink);
}
.when {
  width: 52px;
}
.name {
  min-width: 120px;
}
.name small {
  display: block;
  font-size: 11px;
}
</style>
