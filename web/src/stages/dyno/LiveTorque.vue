<script setup lang="ts">
/** Live torque and power over what they are compared with: the last accepted pull of this setup, and of the baseline. */
import { computed, useTemplateRef } from 'vue'

import { useMe, useObservedCurve } from '../../app/api/queries'
import type { Day, Setup } from '../../app/frame'
import { useFrame } from '../../app/frame'
import type { PullMark } from '../../ui/charts/echarts'
import LiveChart from './LiveChart.vue'
import type { Earlier } from './liveOption'
import type { LivePoint } from './useLive'

const props = defineProps<{
  shown: Setup
  current: Day['pulls'][number] | null
  marks: PullMark[]
}>()
const { programme, day, setup } = useFrame()
const { data: me } = useMe()
const chart = useTemplateRef<InstanceType<typeof LiveChart>>('chart')

const acceptedOf = (setupId: number) =>
  day.value.pulls.findLast((pull) => pull.standing === 'accepted' && pull.setup_id === setupId) ?? null
const baseline = computed(() => programme.value.setups.find((known) => known.is_baseline)!)
const lastOfSetup = computed(() => acceptedOf(props.shown.id))
const lastOfBaseline = computed(() => (props.shown.is_baseline ? null : acceptedOf(baseline.value.id)))
const { data: setupCurve } = useObservedCurve(() => lastOfSetup.value?.id ?? null)
const { data: baselineCurve } = useObservedCurve(() => lastOfBaseline.value?.id ?? null)
const earlier = computed<Earlier[]>(() =>
  [lastOfSetup.value && setupCurve.value, lastOfBaseline.value && baselineCurve.value]
    .filter((curve) => curve !== null && curve !== undefined)
    .map((curve) => ({
      position: setup(curve.setup_id).position,
      label: `${setup(curve.setup_id).letter}, pull ${curve.number}`,
      speed_rpm: curve.speed_rpm,
      torque: curve.torque,
      power: curve.power,
      strong: curve.setup_id === props.shown.id,
    })),
)
defineExpose({
  add: (fresh: LivePoint[], number: number) => chart.value?.add(fresh, number),
  clear: () => chart.value?.clear(),
  fill: (all: LivePoint[]) => chart.value?.fill(all),
})
</script>

<template>
  <h2>
    Torque, {{ me?.units.torque }}, solid; power, {{ me?.units.power }}, dashed; observed, inertia added where
    the stand leaves it out.
    <template v-if="earlier.length"
      >Last accepted: {{ earlier.map((curve) => curve.label).join('; ') }}</template
    >
    <template v-else>No accepted pull of {{ shown.letter }} yet</template>
  </h2>
  <LiveChart
    ref="chart"
    class="chart"
    :earlier="earlier"
    :marks="marks"
    :units="[me?.units.torque ?? '', me?.units.power ?? '']"
    :low-rpm="programme.sweep_start_rpm"
    :high-rpm="Math.max(programme.sweep_end_rpm, current?.sweep_end_rpm ?? 0)"
  />
</template>

<style scoped>
.chart {
  height: calc(100vh - 330px);
}
@media (max-width: 900px) {
  .chart {
    height: 320px;
  }
}
</style>
