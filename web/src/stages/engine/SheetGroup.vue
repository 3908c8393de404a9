<script setup lang="ts">
/** A group of the build sheet: its lines, and beside them what follows. */
import { computed, ref } from 'vue'

import FigureRow from './FigureRow.vue'
import SheetLine from './SheetLine.vue'
import type { Group, Origin } from './useBuild'
import type { Draft } from './useDraft'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'

const props = defineProps<{ group: Group; draft: Draft; readonly: boolean }>()
const emit = defineEmits<{ keep: [key: string]; choose: [key: string, origin: Origin] }>()

const SECOND = '_bank_2'
const isSecond = (key: string) => key.endsWith(SECOND)
const hasSecond = computed(() => props.group.lines.some((line) => isSecond(line.key) && line.readings.length))
const showSecond = ref(false)
const lines = computed(() =>
  props.group.lines.filter((line) => !isSecond(line.key) || hasSecond.value || showSecond.value),
)
const secondBank = computed(() => props.group.lines.some((line) => isSecond(line.key)))
const figures = computed(() => props.draft.figures(props.group.key, props.group.figures))
const known = computed(() => figures.value.filter((figure) => !lacking(figure)))
const unknown = computed(() => figures.value.filter(lacking))
const assumed = computed(() => [
  ...new Set(known.value.flatMap((figure) => figure.assumed.map((label) => label.toLowerCase()))),
])
const findings = computed(() => props.draft.tried.value?.findings[props.group.key] ?? props.group.findings)

function lacking(figure: { value: number | null; low: number | null; refused: string }): boolean {
  return figure.value === null && figure.low === null && !figure.refused
}
</script>

<template>
  <section
    :id="group.key"
    class="group d-grid gr-1 gc-9 pt-4 pb-5 px-0"
    :aria-labelledby="`${group.key}-head`"
  >
    <div class="lines">
      <header>
        <h1 :id="`${group.key}-head`">{{ group.label }}</h1>
        <span class="quiet">nominal</span><span class="quiet">measured</span>
      </header>
      <SheetLine
        v-for="line in lines"
        :key="line.key"
        :line="line"
        :edit="draft.edits.get(line.key)"
        :wrong="draft.wrong(line.key)"
        :understood="draft.understood(line.key)"
        :readonly="readonly"
        @edit="(text, origin, how) => draft.edit(line.key, text, origin, how)"
        @keep="emit('keep', line.key)"
        @choose="(origin) => emit('choose', line.key, origin)"
      />
      <v-link
        v-if="secondBank && !hasSecond && !showSecond && !readonly"
        class="py-1 px-0 quiet"
        @click="showSecond = true"
      >
        Add second bank…
      </v-link>
    </div>
    <div class="follows" aria-live="polite">
      <h2 v-if="figures.length || findings.length">Calculated</h2>
      <p
        v-for="finding in findings"
        :key="finding.text"
        class="finding"
        :class="{ caution: finding.caution }"
      >
        <strong v-if="finding.caution" class="visually-hidden">Caution: </strong>{{ finding.text }}
      </p>
      <FigureRow
        v-for="figure in known"
        :key="figure.key"
        :shown="figure"
        :step="draft.moved.value.get(figure.key)"
      />
      <p v-if="known.some((figure) => figure.assumed.length)" class="finding">
        <span class="hand-note small">assumed</span> rests on a value that nobody measured:
        {{ assumed.join(', ') }}
      </p>
      <DisclosurePanel v-if="unknown.length" :title="`${unknown.length} more need what is not written down`">
        <FigureRow v-for="figure in unknown" :key="figure.key" :shown="figure" />
      </DisclosurePanel>
      <slot />
    </div>
  </section>
</template>

<style scoped>
.group {
  grid-template-columns: minmax(480px, 1.35fr) minmax(320px, 1fr);
  border-bottom: 1px solid var(--ink);
  scroll-margin-top: 136px;
}
header {
  display: grid;
  grid-template-columns: minmax(150px, 1fr) 186px 96px 44px;
  gap: 8px;
  align-items: baseline;
  padding-bottom: 4px;
}
.finding {
  font-family: var(--text);
  font-size: 15px;
  line-height: 1.35;
  margin: 0 0 8px;
  border-left: 4px solid var(--line);
  padding: 2px 0 2px 10px;
}
.caution {
  border-left-color: var(--hand);
}
@media (max-width: 900px) {
  .group {
    grid-template-columns: 1fr;
  }
}
</style>
