<script setup lang="ts">
/**
 * The pulls in order of time, grouped by visit of a setup: struck where excluded, hollow where planned, a notch where
 * parts changed. One row that scrolls; of hundreds a mark stands for a whole visit.
 */
import { computed, nextTick, useTemplateRef, watch } from 'vue'
import { useRoute } from 'vue-router'

import { clock } from '../ui/figures'
import { useFrame } from './frame'
import { judgedQuery } from '../stages/verdict/choice'
import SetupMark from '../ui/setups/SetupMark.vue'

const { day, setup } = useFrame()
const route = useRoute()
type Pull = (typeof day.value.pulls)[number]
const EACH_UP_TO = 80 // pulls; of more a visit is one mark
const SMALLER_FROM = 24
const ribbon = useTemplateRef<HTMLElement>('ribbon')

/** Pulls of one setup between two changes of parts. */
const visits = computed(() => {
  const found: { setup_id: number; pulls: Pull[] }[] = []
  for (const pull of day.value.pulls) {
    if (pull.changed || !found.length) found.push({ setup_id: pull.setup_id, pulls: [] })
    found.at(-1)!.pulls.push(pull)
  }
  return found
})
const condensed = computed(() => day.value.pulls.length > EACH_UP_TO)
const size = computed(() => (day.value.pulls.length > SMALLER_FROM ? 22 : 28))
const left = computed(() => day.value.planned.reduce((sum, step) => sum + step.pulls, 0))
// What comes next is at the end: it is what one looks for.
watch(
  () => day.value.pulls.length,
  () => void nextTick(() => ribbon.value?.scrollTo({ left: ribbon.value.scrollWidth })),
  { immediate: true, flush: 'post' },
)

function words(pull: Pull): string {
  const reason = pull.excluded_reason || pull.ended_why
  return [
    `Pull ${pull.number}, ${setup(pull.setup_id).letter} ${setup(pull.setup_id).name}, ${clock(pull.started_at)}`,
    pull.state === 'complete' ? pull.standing_label : pull.state_label,
    reason,
  ]
    .filter(Boolean)
    .join(': ')
}
const isStruck = (pull: Pull) =>
  pull.standing === 'excluded' || pull.state === 'aborted' || pull.state === 'incomplete'
const to = (pull: Pull) => ({
  name: 'pulls',
  query: judgedQuery(route.query),
  hash: `#pull-${pull.number}`,
})
</script>

<template>
  <nav
    ref="ribbon"
    class="ribbon position-relative d-flex align-center overflow-x-auto border-b px-4"
    aria-label="Pulls in order of time"
  >
    <ol class="plain-list pa-0 d-flex align-center flex-0-0">
      <li v-for="(visit, at) in visits" :key="visit.pulls[0]!.id" class="d-flex align-center">
        <i v-if="at" class="notch" />
        <router-link
          v-if="condensed"
          :to="to(visit.pulls[0]!)"
          class="d-flex align-center"
          :aria-label="`${setup(visit.setup_id).letter} ${setup(visit.setup_id).name}, pulls ${visit.pulls[0]!.number} to ${visit.pulls.at(-1)!.number}`"
        >
          <SetupMark :position="setup(visit.setup_id).position" :size="size" />
          <span class="small">×{{ visit.pulls.length }}</span>
        </router-link>
        <template v-else>
          <router-link
            v-for="pull in visit.pulls"
            :key="pull.id"
            class="mark"
            :to="to(pull)"
            :title="words(pull)"
          >
            <span class="visually-hidden">{{ words(pull) }}</span>
            <SetupMark
              :position="setup(pull.setup_id).position"
              :size="size"
              :struck="isStruck(pull)"
              :class="{ 'opacity-60': pull.standing === 'undecided' }"
            />
          </router-link>
        </template>
      </li>
      <li
        v-for="(step, at) in day.planned"
        :key="`${at}/${step.setup_id}`"
        class="d-flex align-center"
        :title="`Planned: ${step.pulls} of ${setup(step.setup_id).letter} ${setup(step.setup_id).name}`"
      >
        <i v-if="at || day.pulls.at(-1)?.setup_id !== step.setup_id" class="notch" />
        <span v-for="pull in condensed ? 1 : step.pulls" :key="pull" class="mark">
          <SetupMark :position="setup(step.setup_id).position" :size="size" hollow />
        </span>
        <span v-if="condensed" class="small">×{{ step.pulls }}</span>
      </li>
    </ol>
    <span class="quiet text-no-wrap ml-3">
      <template v-if="left">{{ left }} planned</template>
      <template v-else-if="day.pulls.length">running order done</template>
      <template v-else>no pull yet</template>
    </span>
  </nav>
</template>

<style scoped>
.ribbon {
  height: 42px;
}
.mark {
  line-height: 0;
  padding: 2px;
}
.notch {
  align-self: stretch;
  position: relative;
  min-height: 30px;
  margin: 0 5px;
  border-left: 2px dotted var(--quiet);
}
</style>
