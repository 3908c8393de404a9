<script setup lang="ts">
/** The day against the clock: planned above, as it goes below. The order beside it is the table for screen readers. */
import { computed } from 'vue'

import type { Schema } from '../../app/api/client'
import { clock } from '../../ui/figures'
import { useTheme } from 'vuetify'
import { type Ground, letterOf, markOf } from '../../ui/setups/marks'

const props = defineProps<{
  day: Schema['DayPlanOut']
  positions: number[]
  sessions: Schema['DraftSessionIn'][]
  progress?: Schema['ProgressOut'] | null
}>()
const theme = useTheme()
const WIDTH = 1120
const ROW = 34

interface Bar {
  key: string
  x: number
  width: number
  y: number
  fill: string
  stroke: string
  text: string
  ink: string
  title: string
}

const MINUTE = 60_000
/** A lane of the picture: a session with its own beginning. */
const lanes = computed(() => {
  const count = Math.max(1, props.sessions.length)
  return Array.from({ length: count }, (_, session) => {
    const mine = props.day.stretches.filter((stretch) => stretch.session === session)
    const begin = mine[0]?.start_min ?? 0
    const startsAt = mine[0]?.starts_at ?? props.sessions[session]?.starts_at ?? null
    const paid = props.day.paid_min[session] ?? null
    return {
      session,
      mine,
      begin,
      startsAt,
      paid,
      end: Math.max(mine.at(-1)?.end_min ?? begin, begin + (paid ?? 0)),
    }
  }).filter((lane) => lane.mine.length || lane.paid)
})
/** Minutes that the whole width shows: the longest lane, and whatever the day has taken so far. */
const span = computed(() => {
  const planned = Math.max(...lanes.value.map((lane) => lane.end - lane.begin), 30)
  const lane = lanes.value[0]
  const last = props.progress?.projected ?? props.progress?.done.at(-1)?.ends_at
  if (!lane?.startsAt || !last || lanes.value.length > 1 || offset.value === null) return planned
  return Math.max(planned, (Date.parse(last) - Date.parse(actualStart.value!)) / MINUTE)
})
/** The actual day is drawn from its own beginning, so that a late start does not hide what follows. */
const actualStart = computed(() => props.progress?.done[0]?.starts_at ?? null)
const offset = computed(() => (actualStart.value ? 0 : null))
const scale = computed(() => WIDTH / (span.value * 1.02))
const colour = (setup: number) =>
  markOf(props.positions[setup] ?? 0, theme.global.name.value as Ground).colour

function bar(stretch: Schema['StretchOut'], begin: number, y: number): Bar {
  const from = clock(stretch.starts_at)
  const minutes = Math.round(stretch.end_min - stretch.start_min)
  const letter = letterOf(props.positions[stretch.setup] ?? 0)
  const words = {
    warm_up: 'Warm-up',
    wait: `Waiting for ${letter}`,
    change: `Change to ${letter}: ${stretch.touched.join(', ')}`,
    visit: `Pulls of ${letter}`,
  }[stretch.doing]!
  const visit = stretch.doing === 'visit'
  return {
    key: `${stretch.doing} ${stretch.visit}`,
    x: (stretch.start_min - begin) * scale.value,
    width: Math.max((stretch.end_min - stretch.start_min) * scale.value, 1),
    y,
    fill: visit ? colour(stretch.setup) : stretch.doing === 'change' ? 'var(--panel)' : 'url(#idle)',
    stroke: stretch.unpaid ? 'var(--stop)' : visit ? 'none' : 'var(--quiet)',
    text: visit ? letter : '',
    ink: 'var(--panel)',
    title: `${words}, ${stretch.starts_at ? `${from}, ` : ''}${minutes} min${stretch.unpaid ? ', after the paid time' : ''}`,
  }
}

const rowsOf = (index: number) => 20 + index * (ROW + 26)
const planned = computed(() =>
  lanes.value.flatMap((lane, index) => lane.mine.map((stretch) => bar(stretch, lane.begin, rowsOf(index)))),
)
const actualY = computed(() => rowsOf(lanes.value.length))
const actual = computed<Bar[]>(() => {
  const start = actualStart.value
  if (!props.progress || !start) return []
  const at = (iso: string) => ((Date.parse(iso) - Date.parse(start)) / MINUTE) * scale.value
  const done = props.progress.done.map((one, index) => ({
    key: `done ${index}`,
    x: at(one.starts_at),
    width: Math.max(at(one.ends_at) - at(one.starts_at), 4),
    y: actualY.value,
    fill: colour(one.setup),
    stroke: 'none',
    text: letterOf(props.positions[one.setup] ?? 0),
    ink: 'var(--panel)',
    title: `Pulls ${one.pulls.join(', ')} of ${letterOf(props.positions[one.setup] ?? 0)}, ${clock(one.starts_at)} to ${clock(one.ends_at)}`,
  }))
  if (!props.progress.projected) return done
  const left = props.progress.left.map((one, index) => {
    const end = at(one.ends_at)
    const width = Math.max(one.pulling_min * scale.value, 1)
    return {
      key: `left ${index}`,
      x: end - width,
      width,
      y: actualY.value,
      fill: 'none',
      stroke: one.fits ? colour(one.setup) : 'var(--stop)',
      text: letterOf(props.positions[one.setup] ?? 0),
      ink: colour(one.setup),
      title: `Still to pull: ${letterOf(props.positions[one.setup] ?? 0)}, until ${clock(one.ends_at)}${one.fits ? '' : ', after the paid time'}`,
    }
  })
  return [...done, ...left]
})
const hours = computed(() => {
  const every = span.value > 600 ? 120 : span.value > 150 ? 60 : 30
  return Array.from({ length: Math.floor(span.value / every) + 1 }, (_, index) => index * every)
})
function tick(lane: { startsAt: string | null }, minutes: number): string {
  if (!lane.startsAt) return `${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, '0')}`
  return clock(new Date(Date.parse(lane.startsAt) + minutes * MINUTE).toISOString())
}
const height = computed(() => rowsOf(lanes.value.length + (actual.value.length ? 1 : 0)) - 4)
</script>

<template>
  <figure data-test="timeline">
    <svg :viewBox="`0 0 ${WIDTH + 60} ${height}`" role="img" aria-label="The day against the clock">
      <defs>
        <pattern id="idle" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" y1="0" x2="0" y2="6" stroke="var(--hatch)" stroke-width="2" />
        </pattern>
      </defs>
      <g v-for="(lane, index) in lanes" :key="lane.session">
        <template v-for="minutes in hours" :key="minutes">
          <line
            :x1="minutes * scale"
            :x2="minutes * scale"
            :y1="rowsOf(index) - 4"
            :y2="rowsOf(index) + ROW + 2"
            stroke="var(--line)"
          />
          <text :x="minutes * scale" :y="rowsOf(index) - 8" class="tick small">
            {{ tick(lane, minutes) }}
          </text>
        </template>
      </g>
      <g v-for="one in [...planned, ...actual]" :key="one.key + one.y">
        <title>{{ one.title }}</title>
        <rect
          :x="one.x"
          :y="one.y"
          :width="one.width"
          :height="ROW"
          :fill="one.fill"
          :stroke="one.stroke"
          :stroke-width="one.stroke === 'none' ? 0 : 1.5"
        />
        <text
          v-if="one.text && one.width > 12"
          :x="one.x + one.width / 2"
          :y="one.y + 22"
          class="letter size-13 font-weight-bold"
          :fill="one.ink"
        >
          {{ one.text }}
        </text>
      </g>
      <g v-for="(lane, index) in lanes" :key="`paid ${lane.session}`">
        <template v-if="lane.paid">
          <line
            :x1="lane.paid * scale"
            :x2="lane.paid * scale"
            :y1="rowsOf(index) - 4"
            :y2="rowsOf(index) + ROW + 4"
            stroke="var(--ink)"
            stroke-width="2.5"
          />
          <text :x="lane.paid * scale" :y="rowsOf(index) + ROW + 15" class="tick small paid">
            paid until {{ tick(lane, lane.paid) }}
          </text>
        </template>
      </g>
      <text v-if="actual.length" x="0" :y="actualY - 8" class="tick small">
        as it goes, from {{ clock(actualStart) }}
      </text>
    </svg>
    <figcaption class="quiet small">
      Filled: pulls. Outlined: changing parts. Hatched: warming up or waiting.
      <template v-if="actual.length">Below: actual; outline = remaining.</template>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  overflow-x: auto;
}
svg {
  display: block;
  width: 100%;
  min-width: 760px;
}
.tick {
  fill: var(--quiet);
}
.paid {
  text-anchor: middle;
  fill: var(--ink);
}
.letter {
  text-anchor: middle;
}
</style>
