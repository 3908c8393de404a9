<script setup lang="ts">
/** One figure that follows from the sheet: old and new where something is being tried. */
import { computed } from 'vue'

import type { Schema } from '../../app/api/client'
import { figure } from '../../ui/figures'
import type { Term } from '../../ui/terms'
import TermTip from '../../ui/TermTip.vue'
import type { Figure } from './useBuild'

const props = defineProps<{ shown: Figure; step?: Schema['StepOut'] }>()

function amount(of: Figure): string {
  const unit = of.unit === '°' || of.unit === ':1' ? of.unit : of.unit ? ` ${of.unit}` : ''
  if (of.value !== null) return `${figure(of.value, of.digits)}${unit}`
  if (of.low !== null && of.high !== null) {
    return `${figure(of.low, of.digits)} to ${figure(of.high, of.digits)}${unit}`
  }
  return '–'
}
/** Figures whose name a careful reader may not know. */
const TERM_OF: Partial<Record<string, Term>> = {
  trapped_ratio: 'dynamic compression ratio',
  depression: 'vacuum',
  injector_duty: 'injector duty',
  target_pressure: 'mean effective pressure',
  specific_output: 'specific output',
}
const has = computed(() => props.shown.value !== null || props.shown.low !== null)
/** What it was, where trying something moves it by as much as is shown. */
const old = computed(() => {
  const before = props.step?.before ? amount(props.step.before) : ''
  return before === amount(props.shown) ? '' : before
})
const reason = computed(() => {
  if (props.shown.refused) return sentence(props.shown.refused)
  return props.shown.missing.length ? `needs ${props.shown.missing.map(lower).join(', ')}` : ''
})

function lower(label: string): string {
  return label.charAt(0).toLowerCase() + label.slice(1)
}

function sentence(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}
</script>

<template>
  <div
    class="figure d-grid gr-0 gc-3 py-1 px-0 border-b align-baseline"
    :class="{ without: !has }"
    :data-figure="shown.key"
    :title="
      [shown.source, shown.rests_on.length ? `From ${shown.rests_on.map(lower).join(', ')}` : '']
        .filter(Boolean)
        .join('. ')
    "
  >
    <span class="label">
      <TermTip v-if="TERM_OF[shown.key]" :term="TERM_OF[shown.key]!">{{ shown.label }}</TermTip>
      <template v-else>{{ shown.label }}</template>
      <span
        v-if="has && shown.note"
        class="quiet note"
        :class="shown.note.length > 36 ? 'd-block' : 'ml-2'"
        >{{ shown.note }}</span
      >
    </span>
    <span class="value text-right tabular">
      <span
        v-if="has && shown.assumed.length"
        class="assumed hand-note small py-0 px-1 mr-2"
        :title="`Rests on assumed ${shown.assumed.map(lower).join(', ')}`"
        >assumed</span
      >
      <template v-if="old">
        <span class="quiet old">{{ old }}</span> → <mark>{{ amount(shown) }}</mark>
      </template>
      <template v-else-if="has">{{ amount(shown) }}</template>
      <span v-else class="quiet reason">{{ reason }}</span>
    </span>
  </div>
</template>

<style scoped>
.figure {
  grid-template-columns: 1fr auto;
}
.without {
  padding: 3px 0;
}
.without .label {
  color: var(--quiet);
}
.reason,
.note {
  font-family: var(--text);
  font-size: 14px;
}
mark {
  background: none;
  color: inherit;
  font-weight: 700;
}
</style>
