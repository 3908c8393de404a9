<script setup lang="ts">
/** What was held against each other, within which window, and what it is likely worth. */
import type { Schema } from '../../app/api/client'

defineProps<{ comparison: Schema['ComparisonOut'] }>()
</script>

<template>
  <p class="line prose size-16 line-text mt-0 mb-2 mx-0" :class="comparison.level" data-test="comparability">
    {{ comparison.line }}
  </p>
  <v-table class="figures">
    <thead>
      <tr>
        <th class="words">Check</th>
        <th class="words">Found</th>
        <th class="words">Window</th>
        <th>Likely effect</th>
        <th class="words">Basis</th>
        <th class="words">So</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="check in comparison.checks" :key="check.key" :class="check.level">
        <td class="words">{{ check.name }}</td>
        <td class="words">{{ check.found }}<span v-if="check.planned" class="quiet">, on purpose</span></td>
        <td class="words quiet">{{ check.window }}</td>
        <td>{{ check.effect }}</td>
        <td class="words quiet">{{ check.basis }}</td>
        <td class="words so">{{ check.level_label }}</td>
      </tr>
    </tbody>
  </v-table>
</template>

<style scoped>
.line.block {
  border-left: 6px solid var(--stop);
  padding-left: 10px;
}
.line.note {
  border-left: 6px solid var(--hand);
  padding-left: 10px;
}
tr.block .so {
  font-weight: 700;
  color: var(--stop);
}
tr.note .so,
tr.unknown .so {
  background: var(--hand);
  color: var(--on-hand);
}
td.words {
  font-family: var(--text);
  font-size: 14px;
  padding-top: 4px;
  padding-bottom: 4px;
}
</style>
