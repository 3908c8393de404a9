<script setup lang="ts">
/** Torque, power, difference and lead strip with one rpm cursor, by mouse or arrow keys. */
import { computed, ref } from 'vue'
import { useTheme } from 'vuetify'

import type { Schema } from '../../app/api/client'
import type { Ground } from '../setups/marks'
import { inkOf } from './echarts'
import { type Overlay, setupsOption } from './setupsOption'
import { useChart } from './useChart'

const props = defineProps<{
  curves: Schema['Curves']
  positionOf: (setupId: number) => number
  hidden: ReadonlySet<number>
  showPulls: boolean
  beside?: Schema['Curves'] | null
  overlay?: Overlay | null
}>()
/** Speed under the cursor, one of the bins. */
const cursor = defineModel<number>('cursor', { required: true })

const element = ref<HTMLElement | null>(null)
const theme = useTheme()
// Named one by one: the cursor is a prop too, and must not have everything drawn anew when it moves.
const { chart, drawn } = useChart(element, () => {
  const { curves, positionOf, hidden, showPulls, beside, overlay } = props
  return element.value
    ? setupsOption({
        curves,
        positionOf,
        hidden,
        showPulls,
        beside,
        overlay,
        ground: theme.global.name.value as Ground,
        ink: inkOf(element.value),
      })
    : null
})
const cursorLeft = computed(() => {
  void drawn.value
  const at = chart.value?.convertToPixel({ xAxisIndex: 0 }, cursor.value)
  return typeof at === 'number' && Number.isFinite(at) ? at : null
})

function nearest(rpm: number): number {
  return props.curves.speed_rpm.reduce((best, speed) =>
    Math.abs(speed - rpm) < Math.abs(best - rpm) ? speed : best,
  )
}
function follow(event: PointerEvent) {
  const rpm = chart.value?.convertFromPixel({ xAxisIndex: 0 }, event.offsetX)
  if (typeof rpm === 'number' && Number.isFinite(rpm)) cursor.value = nearest(rpm)
}
function step(bins: number) {
  const speeds = props.curves.speed_rpm
  const next = speeds.indexOf(nearest(cursor.value)) + bins
  cursor.value = speeds[Math.min(Math.max(next, 0), speeds.length - 1)]!
}
defineExpose({ step })
</script>

<template>
  <div
    class="chart position-relative h-100"
    role="slider"
    tabindex="0"
    aria-label="Speed cursor over the curves; the figures stand in the table beside"
    :aria-valuenow="cursor"
    :aria-valuemin="curves.speed_rpm[0]"
    :aria-valuemax="curves.speed_rpm.at(-1)"
    :aria-valuetext="`${cursor} rpm`"
    @pointermove="follow"
    @pointerdown="follow"
  >
    <div ref="element" class="canvas position-absolute" />
    <div v-if="cursorLeft !== null" class="cursor" :style="{ left: `${cursorLeft}px` }">
      <span>{{ cursor }}</span>
    </div>
  </div>
</template>

<style scoped>
.chart {
  touch-action: pan-y;
}
.canvas {
  inset: 0;
}
.cursor {
  position: absolute;
  top: 4px;
  bottom: 50px;
  border-left: 1px dotted var(--ink);
  pointer-events: none;
}
.cursor span {
  position: absolute;
  left: -21px;
  width: 42px;
  text-align: center;
  background: var(--ink);
  color: var(--panel);
  font-size: 11px;
  padding: 1px 0;
}
</style>
