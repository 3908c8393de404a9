<script setup lang="ts">
/** A value against its allowed window, drawn as a tape; the window and the side it is out on stand in words. */
import { computed } from 'vue'

import type { Schema } from '../../app/api/client'
import { channelFigure } from '../../ui/figures'

const props = defineProps<{
  gate: Schema['GateOut']
  value: number | null
  side: string
  opens?: number | null
  /** A pull runs: the window was for its start. */
  resting?: boolean
}>()
const WIDTH = 200
/** The tape shows the window and as much again on both sides. */
const span = computed(() => props.gate.high - props.gate.low)
const at = (value: number) => {
  const share = (value - (props.gate.low - span.value)) / (3 * span.value)
  return Math.min(Math.max(share, 0.01), 0.99) * WIDTH
}
const wait = (seconds: number) => (seconds < 60 ? 'under a minute' : `about ${Math.round(seconds / 60)} min`)
const words = computed(() => {
  if (props.resting) return 'for the start'
  if (props.side === 'inside') return 'in its window'
  if (props.value === null || props.side === 'silent') return 'no valid signal'
  const off = props.side === 'low' ? props.gate.low - props.value : props.value - props.gate.high
  const out = `${channelFigure(props.gate.channel, Math.max(1, off))} ${props.side === 'low' ? 'under' : 'over'}`
  return typeof props.opens === 'number' ? `${out}, opens in ${wait(props.opens)}` : out
})
</script>

<template>
  <div
    class="tape d-grid align-center ga-2 py-1 px-0 border-t size-16"
    :class="{ out: side !== 'inside' && !resting }"
    :data-gate="gate.channel"
    :data-side="side"
  >
    <div>
      {{ gate.name }}
      <small class="d-block small quiet">{{ words }}</small>
    </div>
    <svg :viewBox="`0 0 ${WIDTH} 38`" aria-hidden="true">
      <rect x="0" y="14" :width="WIDTH" height="6" fill="var(--line)" />
      <rect :x="at(gate.low)" y="10" :width="at(gate.high) - at(gate.low)" height="14" fill="var(--window)" />
      <text :x="at(gate.low)" y="35" text-anchor="middle">{{ channelFigure(gate.channel, gate.low) }}</text>
      <text :x="at(gate.high)" y="35" text-anchor="middle">{{ channelFigure(gate.channel, gate.high) }}</text>
      <g v-if="value !== null" class="needle" :transform="`translate(${at(value)} 0)`">
        <path d="M-6 2H6L0 10Z" />
        <rect x="-1" y="8" width="2" height="17" />
      </g>
    </svg>
    <strong class="text-right text-no-wrap size-22">
      {{ channelFigure(gate.channel, value) }}
      <small class="small quiet font-weight-regular">{{ gate.unit }}</small>
    </strong>
  </div>
</template>

<style scoped>
.tape {
  grid-template-columns: 104px 1fr 92px;
}
svg {
  width: 100%;
  max-height: 42px;
}
text {
  font-size: 10px;
  fill: var(--quiet);
}
.needle {
  fill: var(--ink);
}
.out .needle {
  fill: var(--hand);
}
.out strong,
.out > div small {
  color: var(--hand);
}
</style>
