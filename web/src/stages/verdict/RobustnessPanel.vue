<script setup lang="ts">
/** Whether the choice would be the same by other rules. Asked for when it is opened: it judges many times over. */
import { computed } from 'vue'

import ProblemNote from '../../ui/ProblemNote.vue'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { useChoice } from './choice'
import { useRobustness } from './queries'

const { programme, setup } = useFrame()
const { choice } = useChoice()
const { data: found, error } = useRobustness(() => programme.value.id, choice, true)
const KINDS: Record<string, string> = {
  standard: 'Standard',
  school: 'Pull that stands',
  measure: 'Ranked by',
  range: 'Range',
  pull: 'Without one pull',
}
const kinds = computed(() =>
  Object.entries(KINDS)
    .map(([key, label]) => ({
      label,
      rows: (found.value?.variations ?? []).filter(({ kind }) => kind === key),
    }))
    .filter(({ rows }) => rows.length),
)
</script>

<template>
  <section>
    <h2>Sensitivity</h2>
    <ProblemNote :error="error" />
    <p v-if="!found && !error" class="text quiet">Judging it the other ways…</p>
    <p v-if="found" class="text" data-test="robust">{{ found.sentence }}</p>
    <dl v-if="found">
      <template v-for="kind in kinds" :key="kind.label">
        <dt>{{ kind.label }}</dt>
        <dd>
          <span
            v-for="one in kind.rows"
            :key="one.label"
            :class="{ changed: !one.held && !one.why_not, off: one.why_not }"
            :title="one.why_not"
          >
            {{ one.label }}
            <SetupMark v-for="id in one.level_ids" :key="id" :position="setup(id).position" :size="15" />
            <template v-if="one.why_not"> not possible</template>
            <template v-else-if="!one.called"> together</template>
          </span>
        </dd>
      </template>
    </dl>
  </section>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 130px 1fr;
  gap: 6px 14px;
  margin: 0;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
dd span {
  white-space: nowrap;
}
.changed {
  background: var(--hand);
  color: var(--on-hand);
  padding: 0 5px;
}
.off {
  color: var(--quiet);
}
</style>
