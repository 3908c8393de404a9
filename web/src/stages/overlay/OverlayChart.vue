<script setup lang="ts">
/** Curves of several tests, each with its number, and drawn by its nature. */
import { computed, ref } from 'vue'
import { useTheme } from 'vuetify'

import type { Schema } from '../../app/api/client'
import { inkOf } from '../../ui/charts/echarts'
import NatureKey from '../../ui/charts/NatureKey.vue'
import type { Nature } from '../../ui/charts/natures'
import { useChart } from '../../ui/charts/useChart'
import { type Ground, markOf } from '../../ui/setups/marks'
import { overlayOption } from './overlayOption'

const props = defineProps<{ found: Schema['OverlaidCurves'] }>()
const element = ref<HTMLElement | null>(null)
const theme = useTheme()
const marks = computed(() => props.found.curves.map((_, at) => markOf(at, theme.global.name.value as Ground)))
const asShape = computed(() => props.found.shape_why !== '')
useChart(element, () =>
  element.value ? overlayOption(props.found.curves, marks.value, asShape.value, inkOf(element.value)) : null,
)
const what = computed(() =>
  asShape.value ? 'Torque, % of the own peak' : `Torque, ${props.found.torque_unit}`,
)
</script>

<template>
  <figure class="ma-0">
    <figcaption class="quiet">
      {{ what }}, over engine speed in rpm, {{ found.standard_label }}
      <NatureKey
        v-for="(curve, at) in found.curves"
        :key="curve.key"
        :nature="curve.nature as Nature"
        :colour="marks[at]!.colour"
        :label="`${at + 1} ${curve.title}`"
      />
    </figcaption>
    <div ref="element" style="height: 340px" role="img" :aria-label="`${what}, over engine speed`" />
  </figure>
</template>
