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
  <nav
    class="ribbon d-flex flex-wrap align-center gr-1 gc-1 py-1 px-4 border-b"
    aria-label="Pulls in order of time"
  >
    <template v-for="pull in day.pulls" :key="pull.id">
      <i v-if="pull.changed" class="notch align-self-stretch my-0 mx-1 position-relative" />
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
      <i v-if="pull.changed" class="notch align-self-stretch my-0 mx-1 position-relative" />
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
  min-height: 42px;
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
  width: 0;
  border-left: 2px dotted var(--quiet);
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
