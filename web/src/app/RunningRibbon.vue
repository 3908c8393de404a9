<script setup lang="ts">
/** One mark for each pull in order of time: struck where left out, hollow where planned, a notch where parts changed. */
import { computed } from 'vue'

import { clock } from '../ui/figures'
import { useFrame } from './frame'
import SetupMark from '../ui/setups/SetupMark.vue'

const { day, setup } = useFrame()
const planned = computed(() =>
  day.value.planned.flatMap((step, stepIndex) =>
    Array.from({ length: step.pulls }, (_, index) => ({
      key: `${stepIndex}/${index}`,
      setup_id: step.setup_id,
      changed: index === 0 && (stepIndex > 0 || day.value.pulls.at(-1)?.setup_id !== step.setup_id),
    })),
  ),
)

function told(pull: (typeof day.value.pulls)[number]): string {
  const reason = pull.excluded_reason || pull.ended_why
  return [
    `Pull ${pull.number}, ${setup(pull.setup_id).letter} ${setup(pull.setup_id).name}, ${clock(pull.started_at)}`,
    pull.state === 'complete' ? pull.standing_label : pull.state_label,
    reason,
  ]
    .filter(Boolean)
    .join(': ')
}
</script>

<template>
  <nav class="ribbon" aria-label="Pulls in order of time">
    <template v-for="pull in day.pulls" :key="pull.id">
      <i v-if="pull.changed" class="notch" />
      <router-link
        :to="{ name: 'pulls', query: $route.query, hash: `#pull-${pull.number}` }"
        :title="told(pull)"
      >
        <span class="visually-hidden">{{ told(pull) }}</span>
        <SetupMark
          :position="setup(pull.setup_id).position"
          :size="28"
          :struck="pull.standing === 'excluded' || pull.state === 'aborted' || pull.state === 'incomplete'"
          :class="{ undecided: pull.standing === 'undecided' }"
        />
      </router-link>
    </template>
    <template v-for="pull in planned" :key="pull.key">
      <i v-if="pull.changed" class="notch" />
      <span :title="`Planned: ${setup(pull.setup_id).letter} ${setup(pull.setup_id).name}`">
        <SetupMark :position="setup(pull.setup_id).position" :size="28" hollow />
      </span>
    </template>
    <span class="quiet count">
      <template v-if="planned.length">{{ planned.length }} planned</template>
      <template v-else-if="day.pulls.length">running order done</template>
      <template v-else>no pull yet</template>
    </span>
  </nav>
</template>

<style scoped>
.ribbon {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 5px;
  padding: 6px 18px;
  min-height: 42px;
  border-bottom: 1px solid var(--line);
}
.ribbon a,
.ribbon span {
  line-height: 0;
}
.ribbon .count {
  line-height: 1;
  margin-left: 12px;
}
.notch {
  align-self: stretch;
  width: 0;
  margin: 0 5px;
  border-left: 2px dotted var(--quiet);
  position: relative;
}
.notch::after {
  content: '';
  position: absolute;
  bottom: -4px;
  left: -6px;
  border: 5px solid transparent;
  border-bottom-color: var(--quiet);
  border-top: 0;
}
.undecided {
  opacity: 0.55;
}
</style>
