<script setup lang="ts">
/** A short piece of line as a nature is drawn, with its word: no curve stands without one. */
import { computed } from 'vue'

import { NATURES, type Nature } from './natures'

const props = defineProps<{ nature: Nature; colour: string; label?: string }>()
const circles = [4, 13, 22]
const word = computed(() => NATURES[props.nature].word)
</script>

<template>
  <span class="ml-3 ink text-no-wrap">
    <svg width="26" height="10" aria-hidden="true" :stroke="colour" fill="none">
      <template v-if="nature === 'figures'">
        <circle v-for="x in circles" :key="x" :cx="x" cy="5" r="2.2" stroke-width="1.2" />
      </template>
      <template v-else-if="nature === 'transferred'">
        <path v-for="x in circles" :key="x" :d="`M${x - 3} 5h6M${x} 2v6`" stroke-width="2" />
      </template>
      <template v-else-if="nature === 'simulated'">
        <path d="M1 3.7h24M1 6.3h24" stroke-width="1" />
      </template>
      <path
        v-else-if="nature === 'inferred'"
        d="M2 5h24"
        stroke-width="4"
        stroke-linecap="round"
        stroke-dasharray="0.1 7"
      />
      <path v-else d="M1 5h24" stroke-width="2.5" />
    </svg>
    {{ label ? `${label}: ` : '' }}{{ word }}
  </span>
</template>
