<script setup lang="ts">
/** Something that opens in place. Its title is words, or the slot of that name; `open` may be held from outside. */
defineProps<{ title?: string }>()
const open = defineModel<boolean>('open', { default: false })
</script>

<template>
  <v-expansion-panels
    :model-value="open ? [0] : []"
    @update:model-value="open = (($event ?? []) as number[]).length > 0"
  >
    <v-expansion-panel :value="0">
      <v-expansion-panel-title
        ><slot name="title">{{ title }}</slot></v-expansion-panel-title
      >
      <v-expansion-panel-text><slot /></v-expansion-panel-text>
    </v-expansion-panel>
  </v-expansion-panels>
</template>
