<script setup lang="ts">
/** Torque and power over rpm as they come, on top of earlier curves. Points are added without a redraw of the rest. */
import { ref } from 'vue'
import { useTheme } from 'vuetify'

import { inkOf, type PullMark } from '../../ui/charts/echarts'
import { useChart } from '../../ui/charts/useChart'
import type { Ground } from '../../ui/setups/marks'
import { liveData, type Earlier, liveOption } from './liveOption'
import type { LivePoint } from './useLive'

const props = defineProps<{
  earlier: Earlier[]
  marks: PullMark[]
  /** Of torque and of power. */
  units: [string, string]
  lowRpm: number
  highRpm: number
}>()
const element = ref<HTMLElement | null>(null)
const theme = useTheme()
const paintedNumber = ref(0)
const filled = ref(0) // points that came afterwards, for a screen that woke in the middle
let points: LivePoint[] = []

const { chart } = useChart(element, () =>
  element.value
    ? liveOption({ ...props, points, ink: inkOf(element.value), ground: theme.global.name.value as Ground })
    : null,
)
const draw = () => chart.value?.setOption({ series: liveData(points) }, { lazyUpdate: false })

/** Add points of a frame; `number` is its last sample, for those who measure how late it is painted. */
function add(fresh: LivePoint[], number: number) {
  if (!fresh.length) return
  points.push(...fresh)
  draw()
  requestAnimationFrame(() => (paintedNumber.value = number))
}
function clear() {
  points = []
  draw()
}
/** Points that were missed, before those that came meanwhile. */
function fill(all: LivePoint[]) {
  const last = all.at(-1)?.[0] ?? 0
  points = [...all, ...points.filter(([rpm]) => rpm > last)]
  filled.value = all.length
  draw()
}
defineExpose({ add, clear, fill })
</script>

<template>
  <div class="live-chart position-relative h-100" :data-painted="paintedNumber" :data-filled="filled">
    <div
      ref="element"
      class="canvas position-absolute"
      role="img"
      :aria-label="`Torque in ${units[0]} and power in ${units[1]} over rpm, live`"
    />
  </div>
</template>

<style scoped>
.live-chart {
  min-height: 280px;
}
.canvas {
  inset: 0;
}
</style>
