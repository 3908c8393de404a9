<script setup lang="ts">
/** Level against speed: the color of the part that leads, hatched where none is separated from the others; arrows read it. */
import { computed, ref, useId } from 'vue'
import { useTheme } from 'vuetify'

import type { Schema } from '../../../app/api/client'
import { figure } from '../../../ui/figures'
import type { Ground } from '../../../ui/setups/marks'
import { partMarks } from './levelOption'

const props = defineProps<{ regimes: Schema['RegimesOut'] }>()
const theme = useTheme()
const hatch = useId()

const WIDTH = 760
const LEFT = 58
const RIGHT = 22
const TOP = 8
const ROW = 20
const marks = computed(() => partMarks(props.regimes, theme.global.name.value as Ground))
const rows = computed(() => [...props.regimes.map].reverse()) // the highest level on top, as on a chart
const low = computed(() => props.regimes.map[0]!.stretches[0]!.low_rpm)
const high = computed(() => props.regimes.map[0]!.stretches.at(-1)!.high_rpm)
const height = computed(() => TOP + rows.value.length * ROW + 26)
const x = (rpm: number) => LEFT + ((rpm - low.value) / (high.value - low.value)) * (WIDTH - LEFT - RIGHT)
const digits = computed(() => (props.regimes.level_unit === '°' ? 0 : 2))
const byPower = ref(false)
const rowLabel = (row: Schema['MapRowOut']) =>
  byPower.value ? `${figure(row.power, 0)}` : figure(row.level, digits.value)
const ticks = computed(() => {
  const found: number[] = []
  for (let rpm = Math.ceil(low.value / 500) * 500; rpm <= high.value; rpm += 500) found.push(rpm)
  return found
})

/** Names stand in the map where there is room, in every third row: color alone tells nothing. */
const LETTER = 7
function label(stretch: Schema['MapStretchOut'], place: number) {
  const text = names(stretch.parts)
  const room = x(stretch.high_rpm) - x(stretch.low_rpm)
  return place % 3 === 1 && stretch.parts.length === 1 && room > text.length * LETTER + 10 ? text : ''
}

/** Place of the cursor: a row from the top, and a speed. */
const at = ref({ row: 0, rpm: 0 })
const cursor = computed(() => ({
  row: Math.min(at.value.row, rows.value.length - 1),
  rpm: Math.min(
    Math.max(at.value.rpm || Math.round((low.value + high.value) / 200) * 100, low.value),
    high.value,
  ),
}))
const names = (parts: number[]) => parts.map((part) => props.regimes.along_parts[part]!).join(' and ')
const STATES: Record<string, string> = { equal: 'equal', small: 'a wash', undecided: 'undecided' }
function words(stretch: Schema['MapStretchOut'] | undefined) {
  if (!stretch?.parts.length) return 'not tested'
  if (stretch.parts.length === 1) return `${names(stretch.parts)} leads`
  return `${names(stretch.parts)}: ${STATES[stretch.state] ?? 'undecided'}`
}
const reading = computed(() => {
  const row = rows.value[cursor.value.row]!
  const { rpm } = cursor.value
  const stretch = row.stretches.find((one) => rpm <= one.high_rpm)
  const power = row.power === null ? '' : `, ${figure(row.power, 0)} ${props.regimes.power_unit} at the peak`
  return `${figure(row.level, digits.value)} ${props.regimes.level_unit}${power}, ${figure(rpm, 0)} rpm: ${words(stretch)}`
})
function step(rowsUp: number, bins: number) {
  const { row, rpm } = cursor.value
  at.value = {
    row: Math.min(Math.max(row - rowsUp, 0), rows.value.length - 1),
    rpm: Math.min(Math.max(Math.round(rpm / 100) * 100 + bins * 100, low.value), high.value),
  }
}
const ARROWS: Record<string, [number, number]> = {
  ArrowUp: [1, 0],
  ArrowDown: [-1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
}
function press(event: KeyboardEvent) {
  const moved = ARROWS[event.key]
  if (!moved) return
  event.preventDefault()
  step(...moved)
}
function follow(event: PointerEvent) {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  const scale = WIDTH / box.width
  const rpm =
    low.value +
    (((event.clientX - box.left) * scale - LEFT) / (WIDTH - LEFT - RIGHT)) * (high.value - low.value)
  const row = Math.floor(((event.clientY - box.top) * scale - TOP) / ROW)
  at.value = {
    row: Math.min(Math.max(row, 0), rows.value.length - 1),
    rpm: Math.min(Math.max(Math.round(rpm / 100) * 100, low.value), high.value),
  }
}
</script>

<template>
  <figure class="map">
    <figcaption class="quiet d-flex flex-wrap align-center ga-3">
      <span>
        Who leads at which {{ regimes.level_kind.toLowerCase() }} and speed; striped where they are not
        separated, blank where it was not tested
      </span>
      <v-switch
        v-model="byPower"
        :label="`Label rows by power, ${regimes.power_unit}`"
        data-test="by-power"
      />
    </figcaption>
    <svg
      :viewBox="`0 0 ${WIDTH} ${height}`"
      role="slider"
      tabindex="0"
      aria-label="Place on the map; arrow keys move it"
      :aria-valuenow="cursor.rpm"
      :aria-valuemin="low"
      :aria-valuemax="high"
      :aria-valuetext="reading"
      data-test="regime-map"
      @keydown="press"
      @pointerdown="follow"
      @pointermove="follow"
    >
      <defs>
        <pattern :id="hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="2.4" height="6" class="stripe" />
        </pattern>
      </defs>
      <g v-for="(row, place) in rows" :key="row.level">
        <text :x="LEFT - 6" :y="TOP + place * ROW + ROW / 2 + 4" text-anchor="end" class="label">
          {{ rowLabel(row) }}
        </text>
        <template v-for="stretch in row.stretches" :key="stretch.low_rpm">
          <rect
            v-for="(part, layer) in stretch.parts"
            :key="part"
            :x="x(stretch.low_rpm)"
            :y="TOP + place * ROW + (layer * ROW) / stretch.parts.length"
            :width="x(stretch.high_rpm) - x(stretch.low_rpm)"
            :height="ROW / stretch.parts.length"
            :fill="marks[part]!.colour"
          />
          <rect
            v-if="stretch.parts.length > 1"
            :x="x(stretch.low_rpm)"
            :y="TOP + place * ROW"
            :width="x(stretch.high_rpm) - x(stretch.low_rpm)"
            :height="ROW"
            :fill="`url(#${hatch})`"
          />
          <text
            v-if="label(stretch, place)"
            :x="(x(stretch.low_rpm) + x(stretch.high_rpm)) / 2"
            :y="TOP + place * ROW + ROW / 2 + 4"
            text-anchor="middle"
            class="name"
          >
            {{ label(stretch, place) }}
          </text>
        </template>
      </g>
      <text v-for="rpm in ticks" :key="rpm" :x="x(rpm)" :y="height - 10" text-anchor="middle" class="label">
        {{ rpm }}
      </text>
      <line :x1="x(cursor.rpm)" :x2="x(cursor.rpm)" :y1="TOP" :y2="TOP + rows.length * ROW" class="cursor" />
      <rect
        :x="LEFT"
        :y="TOP + cursor.row * ROW"
        :width="WIDTH - LEFT - RIGHT"
        :height="ROW"
        fill="none"
        class="cursor"
      />
    </svg>
    <p class="reading" aria-live="polite" data-test="map-reading">{{ reading }}</p>
    <p class="keys">
      <span v-for="(part, row) in regimes.along_parts" :key="part" class="key">
        <svg width="14" height="14" aria-hidden="true">
          <rect width="14" height="14" :fill="marks[row]!.colour" />
        </svg>
        {{ part }}
      </span>
      <span class="quiet">
        {{ byPower ? `rows: peak power of the best, ${regimes.power_unit}` : `rows: ${regimes.level_unit}` }};
        columns: rpm
      </span>
    </p>
  </figure>
</template>

<style scoped>
.map {
  margin: 0;
  max-width: 900px;
}
svg[role='slider'] {
  width: 100%;
  display: block;
  touch-action: pan-y;
}
.label {
  font-size: 11px;
  fill: var(--quiet);
}
.name {
  font-size: 11px;
  fill: var(--panel);
}
.stripe {
  fill: var(--panel);
}
.cursor {
  stroke: var(--ink);
  stroke-width: 1.2;
}
.reading {
  font-size: 15px;
  margin: 4px 0;
}
.key {
  margin-right: 14px;
  white-space: nowrap;
}
.keys {
  margin: 0;
}
</style>
