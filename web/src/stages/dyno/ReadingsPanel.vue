<script setup lang="ts">
/** Large numerals and window tapes: what must be read from two metres. */
import { computed } from 'vue'

import type { Schema } from '../../app/api/client'
import { channelFigure } from '../../ui/figures'
import WindowTape from './WindowTape.vue'

export interface Tape {
  gate: Schema['GateOut']
  value: number | null
  side: string
  opens: number | null
}
const props = defineProps<{
  channels: Schema['ChannelOut'][]
  values: Record<string, number>
  tapes: Tape[]
  faulty: string[]
  /** Windows are for the start: while a pull runs they hold nothing. */
  running: boolean
}>()
const large = computed(() => [
  'rpm',
  'torque',
  'lambda',
  ...(props.channels.some((channel) => channel.name === 'boost') ? ['boost'] : []),
])
const unit = (channel: string) => props.channels.find((known) => known.name === channel)?.unit ?? ''
const like = computed(() => [...new Set(props.tapes.flatMap((tape) => tape.gate.like))])
</script>

<template>
  <div
    class="numerals d-grid ga-2 py-2 px-0"
    :style="{ gridTemplateColumns: `1.25fr ${'1fr '.repeat(large.length - 1)}` }"
  >
    <div v-for="channel in large" :key="channel" :class="{ four: large.length > 3 }">
      <b :data-channel="channel">{{ channelFigure(channel, values[channel]) }}</b>
      <span>{{
        ['torque', 'boost'].includes(channel)
          ? `${channel === 'boost' ? 'boost, ' : ''}${unit(channel)}`
          : channel
      }}</span>
    </div>
  </div>
  <WindowTape v-for="tape in tapes" :key="tape.gate.channel" v-bind="tape" :resting="running" />
  <p v-if="like.length" class="quiet like small">
    Start windows set to match {{ like.length > 1 ? 'pulls' : 'pull' }} {{ like.join(', ') }}.
  </p>
  <p
    v-if="faulty.length"
    class="hand-edge on-panel py-2 px-3 my-2 mx-0 prose size-16"
    role="status"
    data-test="faulty"
  >
    No valid signal: {{ faulty.join(', ') }}
  </p>
</template>

<style scoped>
b {
  display: block;
  font-size: 56px;
  line-height: 1.05;
  font-variant-numeric: tabular-nums;
}
.four b {
  font-size: 44px;
}
.numerals span {
  color: var(--quiet);
}
.like {
  margin: 2px 0 0;
}
@media (max-width: 900px) {
  b {
    font-size: 44px;
  }
}
</style>
