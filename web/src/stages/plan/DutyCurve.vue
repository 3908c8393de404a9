<script setup lang="ts">
/** The weight of each engine speed: seen for a preset, drawn by dragging the points or with the arrow keys. */
import { computed, ref } from 'vue'

import { figure } from '../../ui/figures'

const props = defineProps<{ points: number[][]; low: number; high: number; editable: boolean }>()
const emit = defineEmits<{ change: [points: number[][]] }>()
const WIDTH = 420
const HEIGHT = 96
const svg = ref<SVGSVGElement | null>(null)
const dragged = ref(-1)

const x = (speed: number) => ((speed - props.low) / Math.max(props.high - props.low, 1)) * WIDTH
const y = (weight: number) => HEIGHT - weight * HEIGHT
const line = computed(() => props.points.map(([speed, weight]) => `${x(speed!)} ${y(weight!)}`).join('L'))
const area = computed(() => {
  const first = props.points[0]
  const last = props.points.at(-1)
  return first && last ? `M${x(first[0]!)} ${HEIGHT}L${line.value}L${x(last[0]!)} ${HEIGHT}Z` : ''
})

function move(index: number, speed: number, weight: number) {
  const before = props.points[index - 1]?.[0] ?? -Infinity
  const after = props.points[index + 1]?.[0] ?? Infinity
  const rounded = Math.round(Math.min(Math.max(speed, props.low), props.high) / 50) * 50
  if (rounded <= before || rounded >= after) speed = props.points[index]![0]!
  else speed = rounded
  const points = props.points.map((point) => [...point])
  points[index] = [speed, Math.round(Math.min(Math.max(weight, 0), 1) * 20) / 20]
  emit('change', points)
}

/** The hand keeps the point also where it leaves the drawing. */
function grab(index: number, event: PointerEvent) {
  dragged.value = index
  svg.value?.setPointerCapture(event.pointerId)
}

function drag(event: PointerEvent) {
  if (dragged.value < 0 || !svg.value) return
  const box = svg.value.getBoundingClientRect()
  const speed = props.low + ((event.clientX - box.left) / box.width) * (props.high - props.low)
  move(dragged.value, speed, 1 - (event.clientY - box.top - 8) / (box.height - 16))
}

function key(index: number, event: KeyboardEvent) {
  const [speed, weight] = props.points[index] as [number, number]
  const step = { ArrowUp: [0, 0.05], ArrowDown: [0, -0.05], ArrowLeft: [-100, 0], ArrowRight: [100, 0] }[
    event.key
  ]
  if (!step) return
  event.preventDefault()
  move(index, speed + step[0]!, weight + step[1]!)
}
</script>

<template>
  <div>
    <svg
      ref="svg"
      :viewBox="`-8 -8 ${WIDTH + 16} ${HEIGHT + 16}`"
      role="group"
      aria-label="Weight over engine speed"
      @pointermove="drag"
      @pointerup="dragged = -1"
      @pointercancel="dragged = -1"
    >
      <path v-if="points.length" :d="area" fill="var(--line)" />
      <path v-if="points.length" :d="`M${line}`" fill="none" stroke="var(--ink)" stroke-width="2" />
      <line x1="0" :x2="WIDTH" :y1="HEIGHT" :y2="HEIGHT" stroke="var(--quiet)" />
      <template v-if="editable">
        <circle
          v-for="(point, index) in points"
          :key="index"
          :cx="x(point[0]!)"
          :cy="y(point[1]!)"
          r="7"
          fill="var(--panel)"
          stroke="var(--ink)"
          stroke-width="2"
          tabindex="0"
          role="slider"
          :aria-label="`Weight at ${figure(point[0], 0)} rpm`"
          :aria-valuenow="point[1]"
          aria-valuemin="0"
          aria-valuemax="1"
          @pointerdown.prevent="grab(index, $event)"
          @keydown="key(index, $event)"
        />
      </template>
    </svg>
    <p class="quiet small d-flex justify-space-between most-480 ma-0">
      <span>{{ figure(low, 0) }} rpm</span><span>{{ figure(high, 0) }} rpm</span>
    </p>
  </div>
</template>

<style scoped>
svg {
  width: 100%;
  max-width: 436px;
  touch-action: none;
}
circle {
  cursor: grab;
}
circle:focus-visible {
  outline: none;
  fill: var(--hand);
}
</style>
