<script setup lang="ts">
/** What a check of stacks found, the worst first. */
import { computed } from 'vue'

import type { Schema } from '../../app/api/client'

const props = defineProps<{ title: string; checks: Schema['CheckOut'][]; fine: string }>()
const ORDER = ['misfit', 'note', 'unknown']
const WORDS: Record<string, string> = { misfit: 'does not fit', note: 'note', unknown: 'not known' }
const sorted = computed(() =>
  [...props.checks].sort((a, b) => ORDER.indexOf(a.level) - ORDER.indexOf(b.level)),
)
</script>

<template>
  <div>
    <h2>{{ title }}</h2>
    <p v-if="!sorted.length" class="fine quiet">{{ fine }}</p>
    <ul v-else>
      <li v-for="check in sorted" :key="check.about + check.text">
        <span :class="check.level === 'misfit' ? 'hand-note' : 'quiet'">{{ WORDS[check.level] }}</span>
        <span class="quiet">{{ check.about }}</span>
        {{ check.text }}
      </li>
    </ul>
  </div>
</template>

<style scoped>
h2 {
  margin: 14px 0 0;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
li,
.fine {
  font-family: var(--text);
  font-size: 15px;
  line-height: 1.4;
  padding: 4px 0;
  margin: 0;
}
li > span {
  margin-right: 6px;
}
</style>
