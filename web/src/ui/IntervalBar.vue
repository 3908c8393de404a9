<script setup lang="ts">
/** A difference with its interval on a line whose middle is the baseline. The figures stand beside it in the table. */
import { computed } from 'vue'

import { markOf } from './setups/marks'

const props = defineProps<{ position: number; reach: number; value?: number; low?: number; high?: number }>()
const WIDTH = 150
const at = (value: number) => WIDTH / 2 + (value / props.reach) * (WIDTH / 2 - 6)
const colour = computed(() => markOf(props.position).colour)
</script>

<template>
  <svg :width="WIDTH" height="18" aria-hidden="true">
    <line :x1="WIDTH / 2" y1="0" :x2="WIDTH / 2" y2="18" stroke="var(--quiet)" />
    <template v-if="value !== undefined && low !== undefined && high !== undefined">
      <line :x1="at(low)" y1="9" :x2="at(high)" y2="9" :stroke="colour" stroke-width="6" opacity="0.35" />
      <rect :x="at(value) - 2" y="3" width="4" height="12" :fill="colour" />
    </template>
    <rect v-else :x="WIDTH / 2 - 2" y="3" width="4" height="12" :fill="colour" />
  </svg>
</template>
