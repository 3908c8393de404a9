<script setup lang="ts">
/** An effect with its interval on the scale that a table of effects shares. The figures stand beside it. */
import { computed } from 'vue'

const props = defineProps<{
  low: number
  high: number
  mean?: number
  /** Ends of the scale. */
  from: number
  to: number
  /** What does not matter lies between minus and plus this. */
  smallest: number
  /** An interval of what is to come, not of what was measured. */
  ahead?: boolean
}>()
const WIDTH = 220
const HEIGHT = 20
const at = (value: number) => ((value - props.from) / (props.to - props.from || 1)) * WIDTH
const inside = (value: number) => Math.min(Math.max(at(value), 0), WIDTH)
const band = computed(() => ({
  x: inside(-props.smallest),
  width: inside(props.smallest) - inside(-props.smallest),
}))
</script>

<template>
  <svg :width="WIDTH" :height="HEIGHT" aria-hidden="true" class="d-block">
    <rect :x="band.x" y="0" :width="band.width" :height="HEIGHT" fill="var(--line)" opacity="0.6" />
    <line :x1="at(0)" y1="0" :x2="at(0)" :y2="HEIGHT" stroke="var(--quiet)" />
    <line
      :x1="inside(low)"
      :y1="HEIGHT / 2"
      :x2="inside(high)"
      :y2="HEIGHT / 2"
      stroke="var(--ink)"
      :stroke-width="ahead ? 2 : 5"
      :stroke-dasharray="ahead ? '2 4' : undefined"
      :opacity="ahead ? 1 : 0.45"
    />
    <rect
      v-if="mean !== undefined"
      :x="at(mean) - 2"
      y="4"
      width="4"
      :height="HEIGHT - 8"
      fill="var(--ink)"
    />
  </svg>
</template>
