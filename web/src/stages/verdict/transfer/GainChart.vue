<script setup lang="ts">
/** Gains by speed, each drawn by its nature. */
import { computed, ref } from 'vue'
import { useTheme } from 'vuetify'

import type { Schema } from '../../../app/api/client'
import { inkOf } from '../../../ui/charts/echarts'
import { useChart } from '../../../ui/charts/useChart'
import { type Ground, markOf } from '../../../ui/setups/marks'
import { gainOption, NATURES } from './gainOption'

const props = defineProps<{ gains: Schema['GainOut'][] }>()
const element = ref<HTMLElement | null>(null)
const theme = useTheme()
const colours = computed(() =>
  props.gains.map((_, row) => markOf(row, theme.global.name.value as Ground).colour),
)
useChart(element, () => (element.value ? gainOption(props.gains, colours.value, inkOf(element.value)) : null))
</script>

<template>
  <figure class="ma-0">
    <figcaption class="quiet">
      Torque gained, %, with its 95 % band, over engine speed in rpm
      <span v-for="(gain, at) in gains" :key="at" class="ml-3 ink text-no-wrap">
        <svg width="26" height="8" aria-hidden="true">
          <line
            x1="1"
            y1="4"
            x2="26"
            y2="4"
            stroke-linecap="round"
            :stroke="colours[at]"
            :stroke-width="gain.nature === 'measured' ? 2.5 : 4"
            :stroke-dasharray="gain.nature === 'measured' ? '' : '0.1 7'"
          />
        </svg>
        {{ gain.label }}: {{ NATURES[gain.nature] }}
      </span>
    </figcaption>
    <div ref="element" class="canvas" role="img" aria-label="Torque gained over engine speed" />
  </figure>
</template>

<style scoped>
.canvas {
  height: 240px;
}
</style>
