<script setup lang="ts">
/** Each part against the reference along the level, with its band, the tested levels and the change-overs. */
import { computed, ref } from 'vue'
import { useTheme } from 'vuetify'

import type { Schema } from '../../../app/api/client'
import { inkOf } from '../../../ui/charts/echarts'
import { useChart } from '../../../ui/charts/useChart'
import type { Ground } from '../../../ui/setups/marks'
import { levelOption, partMarks } from './levelOption'

const props = defineProps<{ regimes: Schema['RegimesOut'] }>()
const element = ref<HTMLElement | null>(null)
const theme = useTheme()
const marks = computed(() => partMarks(props.regimes, theme.global.name.value as Ground))
useChart(element, () =>
  element.value ? levelOption(props.regimes, marks.value, inkOf(element.value)) : null,
)
</script>

<template>
  <figure class="chart">
    <figcaption class="quiet">
      Difference to {{ regimes.along_parts[regimes.reference] }}, %, with its 95 % interval, over
      {{ regimes.level_kind.toLowerCase() }} in {{ regimes.level_unit }}
      <span v-for="(part, row) in regimes.along_parts" :key="part" class="key">
        <svg v-if="row !== regimes.reference" width="26" height="8" aria-hidden="true">
          <line
            x1="0"
            y1="4"
            x2="26"
            y2="4"
            :stroke="marks[row]!.colour"
            stroke-width="2.5"
            :stroke-dasharray="marks[row]!.dash.join(' ')"
          />
        </svg>
        {{ row === regimes.reference ? '' : part }}
      </span>
    </figcaption>
    <div ref="element" class="canvas" role="img" aria-label="Difference of the parts along the level" />
  </figure>
</template>

<style scoped>
.chart {
  margin: 8px 0 14px;
}
.canvas {
  height: 220px;
}
.key {
  margin-left: 14px;
  color: var(--ink);
  white-space: nowrap;
}
</style>
