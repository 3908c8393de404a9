<script setup lang="ts">
/** Gains by speed, each drawn by its nature. */
import { computed, ref } from 'vue'
import { useTheme } from 'vuetify'

import type { Schema } from '../../app/api/client'
import { type Ground, markOf } from '../setups/marks'
import { inkOf } from './echarts'
import { gainOption } from './gainOption'
import NatureKey from './NatureKey.vue'
import { isEstimate, type Nature } from './natures'
import { useChart } from './useChart'

/** `positions` of the setups whose gains these are, for their colors; an estimate has none. */
const props = defineProps<{ gains: Schema['GainOut'][]; positions: (number | null)[] }>()
const element = ref<HTMLElement | null>(null)
const theme = useTheme()
const marks = computed(() =>
  props.gains.map((gain, row) => {
    const position = props.positions[row]
    const isOwn = typeof position === 'number' && !isEstimate(gain.nature as Nature)
    return isOwn ? markOf(position, theme.global.name.value as Ground) : null
  }),
)
useChart(element, () => (element.value ? gainOption(props.gains, marks.value, inkOf(element.value)) : null))
</script>

<template>
  <figure class="ma-0">
    <figcaption class="quiet">
      Torque gained, %, with its band, over engine speed in rpm
      <NatureKey
        v-for="(gain, at) in gains"
        :key="at"
        :nature="gain.nature as Nature"
        :colour="marks[at]?.colour ?? 'currentColor'"
        :label="gain.label"
      />
    </figcaption>
    <div ref="element" class="canvas" role="img" aria-label="Torque gained over engine speed" />
  </figure>
</template>

<style scoped>
.canvas {
  height: 240px;
}
</style>
