<script setup lang="ts">
/** Raw samples over time, with what was cut off greyed and its edges to be dragged. */
import { computed, ref, watch } from 'vue'

import type { Schema } from '../../app/api/client'
import { FONT, inkOf } from '../../ui/charts/echarts'
import { useChart } from '../../ui/charts/useChart'

const props = defineProps<{
  raw: Schema['RawOut']
  cut: Schema['CutOut'] | null
  /** Key of the channel in the lower panel. */
  below: string
  colour: string
  mayCut: boolean
}>()
const emit = defineEmits<{ cut: [start: number, end: number] }>()
const STEP_S = 0.05

const element = ref<HTMLElement | null>(null)
const edges = ref<{ start: number; end: number }>({ start: 0, end: 0 })
watch(
  () => props.cut,
  (cut) => {
    if (cut) edges.value = { start: cut.start_s, end: cut.end_s }
  },
  { immediate: true },
)
/** A channel whose name is its unit is called once. */
const titleOf = (one: Schema['SeriesOut']) =>
  one.name.toLowerCase() === one.unit.toLowerCase() ? one.unit : `${one.name}, ${one.unit}`
const find = (key: string) => props.raw.series.find((one) => one.key === key)
const last = computed(() => props.raw.time_s.at(-1) ?? 0)

const { chart, drawn } = useChart(element, () => {
  if (!element.value) return null
  const ink = inkOf(element.value)
  const shown = [find('rpm'), find('torque'), find(props.below)].filter((one) => one !== undefined)
  const panels = [
    { top: 5, height: 26 },
    { top: 37, height: 28 },
    { top: 71, height: 20 },
  ]
  return {
    animation: false,
    textStyle: { fontFamily: FONT },
    grid: shown.map((_, index) => ({
      left: 52,
      right: 14,
      top: `${panels[index]!.top}%`,
      height: `${panels[index]!.height}%`,
      outerBoundsMode: 'none',
    })),
    xAxis: shown.map((_, index) => ({
      type: 'value',
      gridIndex: index,
      min: 0,
      max: last.value,
      axisLine: { show: false },
      axisTick: { show: false },
      splitLine: { show: false },
      axisLabel: {
        show: index === shown.length - 1,
        color: ink.quiet,
        showMaxLabel: false,
        formatter: (value: number) => `${value} s`,
      },
    })),
    yAxis: shown.map((one, index) => ({
      type: 'value',
      gridIndex: index,
      scale: true,
      splitNumber: 3,
      name: titleOf(one),
      nameTextStyle: { color: ink.quiet, align: 'left', padding: [0, 0, 0, -44] },
      nameGap: 6,
      axisLine: { show: false },
      axisTick: { show: false },
      axisLabel: { color: ink.quiet, showMaxLabel: false },
      splitLine: { lineStyle: { color: ink.line } },
    })),
    series: shown.map((one, index) => ({
      type: 'line',
      xAxisIndex: index,
      yAxisIndex: index,
      data: props.raw.time_s.map((time, at) => [time, one.values[at]]),
      showSymbol: false,
      silent: true,
      lineStyle: { color: index === 1 ? props.colour : ink.ink, width: 1 },
    })),
  }
})
const place = (seconds: number): number | null => {
  void drawn.value
  const at = chart.value?.convertToPixel({ xAxisIndex: 0 }, seconds)
  return typeof at === 'number' && Number.isFinite(at) ? at : null
}
const left = computed(() => place(edges.value.start))
const right = computed(() => place(edges.value.end))
const begin = computed(() => place(0))
const over = computed(() => place(last.value))

const limited = (which: 'start' | 'end', seconds: number) =>
  which === 'start'
    ? Math.min(Math.max(0, seconds), edges.value.end - STEP_S)
    : Math.max(Math.min(last.value, seconds), edges.value.start + STEP_S)
let dragged: 'start' | 'end' | null = null

function take(which: 'start' | 'end', event: PointerEvent) {
  if (!props.mayCut) return
  dragged = which
  ;(event.target as HTMLElement).setPointerCapture(event.pointerId)
}
function drag(event: PointerEvent) {
  if (!dragged || !element.value) return
  const seconds = chart.value?.convertFromPixel(
    { xAxisIndex: 0 },
    event.clientX - element.value.getBoundingClientRect().left,
  )
  if (typeof seconds === 'number' && Number.isFinite(seconds))
    edges.value[dragged] = limited(dragged, seconds)
}
function settle() {
  if (!dragged) return
  dragged = null
  emit('cut', edges.value.start, edges.value.end)
}
function nudge(which: 'start' | 'end', event: KeyboardEvent) {
  const steps = { ArrowLeft: -1, ArrowRight: 1, PageDown: -10, PageUp: 10 }[event.key]
  if (steps === undefined || !props.mayCut) return
  event.preventDefault()
  event.stopPropagation()
  edges.value[which] = limited(which, edges.value[which] + steps * STEP_S)
  emit('cut', edges.value.start, edges.value.end)
}
</script>

<template>
  <div class="position-relative h-100">
    <div
      ref="element"
      class="canvas position-absolute"
      role="img"
      aria-label="Raw samples over time; the table below has the bins"
    />
    <template v-if="cut && left !== null && right !== null && begin !== null && over !== null">
      <div
        class="off position-absolute"
        :style="{ left: `${begin}px`, width: `${Math.max(0, left - begin)}px` }"
      />
      <div
        class="off position-absolute"
        :style="{ left: `${right}px`, width: `${Math.max(0, over - right)}px` }"
      />
      <div
        v-for="which in ['start', 'end'] as const"
        :key="which"
        class="edge position-absolute"
        :class="{ fixed: !mayCut }"
        :style="{ left: `${which === 'start' ? left : right}px` }"
        role="slider"
        :tabindex="mayCut ? 0 : -1"
        :aria-label="which === 'start' ? 'Curve begins at' : 'Curve ends at'"
        :aria-valuenow="edges[which]"
        :aria-valuemin="0"
        :aria-valuemax="last"
        :aria-valuetext="`${edges[which].toFixed(2)} s`"
        :data-test="`cut-${which}`"
        @pointerdown="take(which, $event)"
        @pointermove="drag"
        @pointerup="settle"
        @keydown="nudge(which, $event)"
      >
        <span>{{ edges[which].toFixed(2) }} s</span>
      </div>
    </template>
  </div>
</template>

<style scoped>
.canvas {
  inset: 0;
}
.off {
  top: 5%;
  bottom: 9%;
  background: var(--hatch);
  opacity: 0.28;
  pointer-events: none;
}
.edge {
  top: 5%;
  bottom: 9%;
  width: 13px;
  margin-left: -6px;
  cursor: ew-resize;
  touch-action: none;
}
.edge::before {
  content: '';
  position: absolute;
  inset: 0 6px;
  background: var(--ink);
}
.edge.fixed {
  cursor: default;
}
.edge span {
  position: absolute;
  bottom: -1px;
  left: 50%;
  translate: -50% 0;
  background: var(--ink);
  color: var(--panel);
  font-size: 11px;
  padding: 1px 5px;
  white-space: nowrap;
}
</style>
