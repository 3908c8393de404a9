<script setup lang="ts">
/** One pull over speed: samples, what they were reduced to, what is odd; a second pull laid over it. */
import { computed, ref } from 'vue'

import type { Schema } from '../../app/api/client'
import { FONT, inkOf, markLine } from '../../ui/charts/echarts'
import { type Nature, NATURES, natureLines } from '../../ui/charts/natures'
import { useChart } from '../../ui/charts/useChart'

export interface Shown {
  inspection: Schema['InspectionOut']
  colour: string
  label: string
}
const props = defineProps<{
  pull: Shown
  other: Shown | null
  raw: Schema['RawOut'] | null
  /** Key of a channel or a derived curve in the lower panel. */
  below: string
  /** The mixture that advised jets should give, drawn where the mixture is below. */
  predicted?: Schema['PredictedMixture'][]
}>()
const element = ref<HTMLElement | null>(null)

const seriesOf = (one: Shown, key: string) =>
  [...one.inspection.derived, ...one.inspection.channels].find((known) => known.key === key)
const lower = computed(() => seriesOf(props.pull, props.below))
const expected = computed(() => (props.below === 'lambda' && lower.value ? (props.predicted ?? []) : []))

useChart(element, () => {
  if (!element.value) return null
  const ink = inkOf(element.value)
  const { inspection } = props.pull
  const speeds = [...inspection.speed_rpm, ...(props.other?.inspection.speed_rpm ?? [])]
  const low = Math.min(...speeds)
  const high = Math.max(...speeds)
  const panels = [
    { top: 6, height: 56 },
    { top: 70, height: 21 },
  ].slice(0, lower.value ? 2 : 1)
  const line = (panel: number, one: Shown, values: (number | null)[], width: number, dashed = false) => ({
    type: 'line',
    xAxisIndex: panel,
    yAxisIndex: panel,
    data: one.inspection.speed_rpm.map((speed, at) => [speed, values[at]]),
    showSymbol: one.inspection.samples.some((count) => count === 0) && panel === 0,
    symbolSize: 4,
    silent: true,
    lineStyle: { color: one.colour, width, type: dashed ? [4, 3] : 'solid' },
    itemStyle: { color: one.colour },
  })
  const ofNature = (one: Shown, drawn: ReturnType<typeof line>) =>
    natureLines(one.inspection.nature as Nature, drawn, one.colour, ink.panel)
  const { word, line: asLine } = NATURES[inspection.nature as Nature]
  const how = inspection.nature === 'measured' ? 'solid' : `as ${asLine}`
  const rpm = props.raw?.series.find((one) => one.key === 'rpm')
  const torque = props.raw?.series.find((one) => one.key === 'torque')
  // Up to the highest speed: what comes after is the engine running down.
  const speedsRead = (rpm?.values ?? []).map((speed) => speed ?? 0)
  const top = speedsRead.indexOf(speedsRead.reduce((best, speed) => Math.max(best, speed), 0))
  const samples = speedsRead
    .slice(0, Math.max(0, top))
    .map((speed, at): [number, number | null] => [speed, torque?.values[at] ?? null])
    .filter(([speed]) => speed >= low - 300)
  // By the curves: what the brake reads while it loads would squeeze them together.
  const shownTorques = [props.pull, ...(props.other ? [props.other] : [])].flatMap((one) => [
    ...one.inspection.observed,
    ...one.inspection.corrected,
  ])
  const torqueRange = {
    min: Math.floor((Math.min(...shownTorques) * 0.85) / 10) * 10,
    max: Math.ceil((Math.max(...shownTorques) * 1.05) / 10) * 10,
  }
  const drawn = [props.pull, ...(props.other ? [props.other] : [])]
  return {
    animation: false,
    textStyle: { fontFamily: FONT },
    grid: panels.map((panel) => ({
      left: 52,
      right: 14,
      top: `${panel.top}%`,
      height: `${panel.height}%`,
      outerBoundsMode: 'none',
    })),
    xAxis: panels.map((_, index) => ({
      type: 'value',
      gridIndex: index,
      min: low - 200,
      max: high + 100,
      axisLine: { show: false },
      axisTick: { show: false },
      splitLine: { show: false },
      axisLabel: {
        show: index === panels.length - 1,
        color: ink.quiet,
        showMinLabel: false,
        showMaxLabel: false,
        formatter: (value: number) => String(value),
      },
    })),
    yAxis: panels.map((_, index) => ({
      type: 'value',
      gridIndex: index,
      scale: true,
      ...(index ? {} : torqueRange),
      splitNumber: index ? 3 : 5,
      name: index
        ? `${lower.value!.name}, ${lower.value!.unit}${expected.value.length ? '; with the advised jets dashed, 95 % between the thin lines' : ''}`
        : `Torque, ${inspection.torque_unit}, ${word}: samples, observed dashed, ${inspection.standard_label} ${how}`,
      nameTextStyle: { color: ink.quiet, align: 'left', padding: [0, 0, 0, -44] },
      nameGap: 6,
      axisLine: { show: false },
      axisTick: { show: false },
      axisLabel: { color: ink.quiet, showMaxLabel: false },
      splitLine: { lineStyle: { color: ink.line } },
    })),
    series: [
      // What is odd, behind everything.
      {
        type: 'custom',
        silent: true,
        clip: true,
        z: 1,
        data: inspection.marks,
        encode: { x: [0, 1], y: [] }, // a mark says nothing of the height
        renderItem: (
          params: { coordSys: { y: number; height: number } },
          from: { value: (index: number) => number; coord: (point: [number, number]) => [number, number] },
        ) => {
          const left = from.coord([from.value(0), 0])[0]
          const right = from.coord([from.value(1), 0])[0]
          return {
            type: 'rect',
            shape: {
              x: left - 3,
              y: params.coordSys.y,
              width: right - left + 6,
              height: params.coordSys.height,
            },
            style: { fill: ink.hatch, opacity: 0.22 },
          }
        },
      },
      {
        type: 'scatter',
        data: samples.filter(
          ([, torque]) => torque !== null && torque >= torqueRange.min && torque <= torqueRange.max,
        ),
        symbolSize: 2,
        markLine: markLine(
          inspection.notes.flatMap(({ rpm, label }) => (rpm === null ? [] : [{ rpm, label }])),
          ink,
        ),
        silent: true,
        clip: true,
        itemStyle: { color: ink.quiet, opacity: 0.55 },
      },
      ...(['expected', 'low', 'high'] as const).flatMap((what) =>
        expected.value.length
          ? [
              {
                type: 'line',
                xAxisIndex: 1,
                yAxisIndex: 1,
                data: expected.value.map((one) => [one.speed_rpm, one[what]]),
                showSymbol: false,
                silent: true,
                lineStyle: {
                  color: ink.quiet,
                  width: what === 'expected' ? 2 : 1,
                  type: what === 'expected' ? [6, 4] : 'solid',
                },
              },
            ]
          : [],
      ),
      ...drawn.flatMap((one) => [
        line(0, one, one.inspection.observed, 1, true),
        ...(one.inspection.corrected.length ? ofNature(one, line(0, one, one.inspection.corrected, 2)) : []),
        ...(lower.value && seriesOf(one, props.below)
          ? [line(1, one, seriesOf(one, props.below)!.values, 2)]
          : []),
      ]),
    ],
  }
})
</script>

<template>
  <div ref="element" class="h-100" role="img" aria-label="Torque over speed; the table below has the bins" />
</template>
