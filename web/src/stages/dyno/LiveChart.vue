<script setup lang="ts">
/** Torque over rpm as it comes, on top of earlier curves. Points are added without a redraw of the rest. */
import { computed, ref } from 'vue'
import { useTheme } from 'vuetify'

import { FONT, inkOf } from '../../ui/charts/echarts'
import { useChart } from '../../ui/charts/useChart'
import { type Ground, markOf } from '../../ui/setups/marks'

export interface Earlier {
  position: number
  label: string
  speed_rpm: number[]
  torque: number[]
  /** The last kept pull of this setup is drawn stronger than the others. */
  strong: boolean
}
const props = defineProps<{
  earlier: Earlier[]
  /** Position of the setup being pulled. */
  position: number
  unit: string
  lowRpm: number
  highRpm: number
}>()
const element = ref<HTMLElement | null>(null)
const theme = useTheme()
const paintedNumber = ref(0)
const filled = ref(0) // points that came afterwards, for a screen that woke in the middle
let points: [number, number][] = []

const ceiling = computed(() => Math.max(0, ...props.earlier.flatMap((curve) => curve.torque)))
const floor = computed(() => Math.min(...props.earlier.flatMap((curve) => curve.torque), Number.MAX_VALUE))
const { chart } = useChart(element, () => {
  if (!element.value) return null
  const ink = inkOf(element.value)
  const ground = theme.global.name.value as Ground
  return {
    animation: false,
    textStyle: { fontFamily: FONT },
    grid: { left: 52, right: 18, top: 14, bottom: 30, outerBoundsMode: 'none' },
    xAxis: {
      type: 'value',
      min: props.lowRpm,
      max: props.highRpm,
      axisLine: { show: false },
      axisTick: { show: false },
      splitLine: { show: false },
      axisLabel: { color: ink.quiet, formatter: (value: number) => String(value) },
    },
    yAxis: {
      type: 'value',
      min: ceiling.value ? Math.floor((floor.value * 0.85) / 10) * 10 : undefined,
      max: ceiling.value ? Math.ceil((ceiling.value * 1.06) / 10) * 10 : undefined,
      splitNumber: 4,
      axisLine: { show: false },
      axisTick: { show: false },
      axisLabel: { color: ink.quiet, showMinLabel: false },
      splitLine: { lineStyle: { color: ink.line } },
    },
    series: [
      ...props.earlier.map((curve) => {
        const mark = markOf(curve.position, ground)
        return {
          type: 'line',
          data: curve.speed_rpm.map((speed, index) => [speed, curve.torque[index]]),
          showSymbol: false,
          silent: true,
          lineStyle: {
            color: mark.colour,
            width: curve.strong ? 2 : 1.2,
            opacity: curve.strong ? 1 : 0.55,
            type: mark.dash.length ? mark.dash : 'solid',
          },
        }
      }),
      {
        id: 'live',
        type: 'line',
        data: points,
        showSymbol: false,
        silent: true,
        clip: true,
        lineStyle: { color: ink.ink, width: 2.5 },
        z: 10,
      },
    ],
  }
})

/** Add points of a frame; `number` is its last sample, for those who measure how late it is painted. */
function add(fresh: [number, number][], number: number) {
  if (!fresh.length) return
  points.push(...fresh)
  chart.value?.setOption({ series: [{ id: 'live', data: points }] }, { lazyUpdate: false })
  requestAnimationFrame(() => (paintedNumber.value = number))
}
function clear() {
  points = []
  chart.value?.setOption({ series: [{ id: 'live', data: points }] })
}
/** Points that were missed, before those that came meanwhile. */
function fill(all: [number, number][]) {
  const last = all.at(-1)?.[0] ?? 0
  points = [...all, ...points.filter(([rpm]) => rpm > last)]
  filled.value = all.length
  chart.value?.setOption({ series: [{ id: 'live', data: points }] })
}
defineExpose({ add, clear, fill })
</script>

<template>
  <div class="live-chart position-relative h-100" :data-painted="paintedNumber" :data-filled="filled">
    <div
      ref="element"
      class="canvas position-absolute"
      role="img"
      :aria-label="`Torque over rpm in ${unit}, live`"
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
