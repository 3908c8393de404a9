<script setup lang="ts">
import { computed } from 'vue'
import { useTheme } from 'vuetify'

import { type Ground, markOf, shapePath } from './marks'

export interface Props {
  position: number
  /** px */
  size?: number
  /** Planned: outline only. */
  hollow?: boolean
  /** Left out: struck through. */
  struck?: boolean
}
const props = withDefaults(defineProps<Props>(), { size: 22, hollow: false, struck: false })
const theme = useTheme()
const mark = computed(() => markOf(props.position, theme.global.name.value as Ground))
const letterHeight = computed(() => (mark.value.shape === 'triangle' ? 19 : 16.4))
</script>

<template>
  <svg class="align-middle flex-0-0" :width="size" :height="size" viewBox="-3 -3 30 30" aria-hidden="true">
    <path
      :d="shapePath(mark.shape)"
      :fill="hollow ? 'none' : mark.colour"
      :stroke="mark.colour"
      :stroke-width="hollow ? 2 : 0"
    />
    <circle v-if="mark.ringed" cx="12" cy="12" r="14" fill="none" :stroke="mark.colour" stroke-width="1.5" />
    <text
      x="12"
      :y="letterHeight"
      text-anchor="middle"
      font-weight="700"
      :font-size="mark.letter.length > 1 ? 9.5 : 12.5"
      :fill="hollow ? mark.colour : 'var(--panel)'"
    >
      {{ mark.letter }}
    </text>
    <line v-if="struck" x1="-2" y1="26" x2="26" y2="-2" stroke="var(--ink)" stroke-width="2.4" />
  </svg>
</template>
