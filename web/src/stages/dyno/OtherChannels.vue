<script setup lang="ts">
/** Channels that have no place of their own on the stand's screen, with their values. */
import { channelFigure } from '../../ui/figures'

defineProps<{
  channels: { name: string; label: string; unit: string }[]
  values: Record<string, number>
}>()
</script>

<template>
  <dl class="others d-grid gc-4">
    <div v-for="channel in channels" :key="channel.name" class="border-t py-1">
      <dt class="quiet small">{{ channel.label }}</dt>
      <dd class="ma-0 size-16">
        {{ channelFigure(channel.name, values[channel.name]) }}
        <small class="quiet small">{{ channel.unit === '1' ? '' : channel.unit }}</small>
      </dd>
    </div>
  </dl>
</template>

<style scoped>
.others {
  grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
}
</style>
