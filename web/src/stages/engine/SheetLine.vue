<script setup lang="ts">
/** One dimension: what is told of it, what was measured, and what each value rests on. */
import { computed, ref } from 'vue'

import { day } from '../../ui/figures'
import { type Line, NOMINAL, type Origin, type Reading } from './useBuild'
import { originChoices } from './origins'

export interface Props {
  line: Line
  /** Texts not yet written down, with the origin they are typed under. */
  edit?: { text: string; origin: Origin; how: string }
  wrong?: string
  understood?: string
  readonly?: boolean
}
const props = defineProps<Props>()
const emit = defineEmits<{
  edit: [text: string, origin: Origin, how: string]
  keep: []
  choose: [origin: Origin]
}>()

const open = ref(false)
const focused = ref(false)
const nominal = computed<Reading | undefined>(() => {
  const found = props.line.readings.filter((reading) => reading.origin !== 'measured')
  return (
    found.find((reading) => reading.chosen || reading.origin === props.line.used) ??
    [...found].sort((a, b) => rank(a.origin) - rank(b.origin))[0]
  )
})
const measured = computed(() => props.line.readings.find((reading) => reading.origin === 'measured'))
const origin = ref<Origin>()
const numeric = computed(() => props.line.kind === 'quantity')
/** Words, counts and choices have one field: it shows the value in use, wherever that comes from. */
const nominalOrigin = computed<Origin>(() => {
  const known = numeric.value ? nominal.value : (using.value ?? props.line.readings[0])
  return origin.value ?? (known?.origin as Origin | undefined) ?? 'reported'
})
const using = computed(() => props.line.readings.find((reading) => reading.origin === props.line.used))
const id = computed(() => `line-${props.line.key}`)
const message = computed(() => (focused.value ? '' : (props.wrong ?? '')))

function rank(of: string): number {
  return NOMINAL.indexOf(of as Origin)
}

function text(of: Origin): string {
  if (props.edit && (props.edit.origin === 'measured') === (of === 'measured')) {
    return props.edit.text
  }
  if (of === 'measured') return measured.value?.text ?? ''
  return props.line.readings.find((reading) => reading.origin === of)?.text ?? ''
}

function type(event: Event, of: Origin) {
  emit('edit', (event.target as HTMLInputElement).value, of, props.edit?.how ?? howOf(of))
}

function howOf(of: Origin): string {
  return props.line.readings.find((reading) => reading.origin === of)?.how ?? ''
}

/** A choice is made at once; there is nothing to finish typing. */
function pick(value: string, of: Origin) {
  emit('edit', value, of, props.edit?.how ?? howOf(of))
  emit('keep')
}

function leave() {
  focused.value = false
  if (props.edit) emit('keep')
}

/** An origin that was chosen and given no value goes back to the one that has one. */
function leaveLine(event: FocusEvent) {
  const inside = (event.currentTarget as HTMLElement).contains(event.relatedTarget as Node | null)
  if (!inside && !props.edit) origin.value = undefined
}

function rewrite(event: Event, of: Origin) {
  const how = (event.target as HTMLInputElement).value
  emit('edit', text(of), of, how)
  emit('keep')
}
</script>

<template>
  <div
    class="line"
    :class="{ blocked: line.blocked, open }"
    :data-line="line.key"
    @focusin="focused = true"
    @focusout="leaveLine"
  >
    <v-link
      class="label text-left"
      :aria-expanded="open"
      :title="line.hint || undefined"
      @click="open = !open"
    >
      {{ line.label }}
    </v-link>
    <template v-if="numeric">
      <span class="d-flex ga-1" :class="{ used: line.used && line.used !== 'measured' }">
        <v-text-field
          :id="`${id}-nominal`"
          :aria-label="`${line.label}, nominal`"
          :error="Boolean(message)"
          :model-value="text(nominalOrigin)"
          :readonly="readonly"
          autocomplete="off"
          inputmode="decimal"
          @input="type($event, nominalOrigin)"
          @blur="leave"
          @keydown.enter="leave"
        />
        <v-select
          class="origin"
          variant="plain"
          menu-icon=""
          :model-value="nominalOrigin"
          :aria-label="`Source of ${line.label}`"
          :disabled="readonly"
          :class="{
            assumed: nominalOrigin === 'assumed' && nominal,
            idle: !nominal && edit?.origin !== nominalOrigin,
          }"
          :items="originChoices(NOMINAL)"
          @update:model-value="origin = $event as Origin"
        />
      </span>
      <span class="d-flex ga-1" :class="{ used: line.used === 'measured' }">
        <v-text-field
          :id="`${id}-measured`"
          :aria-label="`${line.label}, measured`"
          :error="Boolean(message)"
          :model-value="text('measured')"
          :readonly="readonly"
          autocomplete="off"
          inputmode="decimal"
          @input="type($event, 'measured')"
          @blur="leave"
          @keydown.enter="leave"
        />
      </span>
      <span class="measure quiet">{{ line.unit }}</span>
    </template>
    <span v-else-if="line.kind === 'choice'" class="d-flex ga-1 wide">
      <v-select
        :aria-label="line.label"
        :disabled="readonly"
        :model-value="text(nominalOrigin)"
        :items="[{ value: '', label: '–' }, ...(line.choices ?? [])]"
        @update:model-value="pick($event, nominalOrigin)"
      />
    </span>
    <span v-else class="d-flex ga-1 wide">
      <v-text-field
        :class="{ words: line.kind === 'words' }"
        :aria-label="line.label"
        :error="Boolean(message)"
        :model-value="text(nominalOrigin)"
        :readonly="readonly"
        autocomplete="off"
        @input="type($event, nominalOrigin)"
        @blur="leave"
        @keydown.enter="leave"
      />
    </span>
    <p
      v-if="message"
      class="message all-columns prose size-15 line-text mt-0 mb-1 mx-0 text-error"
      role="alert"
    >
      {{ message }}
    </p>
    <p
      v-else-if="edit && understood && understood !== `${edit.text} ${line.unit}`"
      class="quiet all-columns prose size-15 line-text mt-0 mb-1 mx-0"
    >
      = {{ understood }}
    </p>
    <p v-if="line.blocked" class="all-columns prose size-15 line-text mt-0 mb-1 mx-0">
      <span class="hand-note">
        {{ line.contradicts.join(' and ') }} contradict each other: nothing is used until one is chosen
      </span>
    </p>
    <p v-else-if="line.contradicts.length" class="all-columns prose size-15 line-text mt-0 mb-1 mx-0 quiet">
      ≠ {{ line.contradicts.join(', ') }}
    </p>
    <div v-if="open || line.blocked" class="evidence all-columns prose size-15 line-text mt-0 mb-1 mx-0">
      <p v-if="line.hint" class="quiet">{{ line.hint }}</p>
      <div v-for="reading in line.readings" :key="reading.origin" class="reading d-grid ga-2 align-center">
        <strong v-if="reading.origin === line.used">{{ reading.origin }}</strong>
        <span v-else>{{ reading.origin }}</span>
        <span>{{ reading.typed || reading.text }}</span>
        <span class="quiet">{{ reading.by }}, {{ day(reading.at) }}</span>
        <v-text-field
          class="words"
          placeholder="how, with what"
          :aria-label="`How ${line.label} was ${reading.origin}`"
          :model-value="reading.how"
          :readonly="readonly"
          @change="rewrite($event, reading.origin as Origin)"
        />
        <v-link
          v-if="!readonly && line.readings.length > 1 && reading.origin !== line.used"
          class="use"
          @click="emit('choose', reading.origin as Origin)"
        >
          Use this
        </v-link>
      </div>
      <p v-if="!line.readings.length" class="quiet">Nothing is written down.</p>
    </div>
  </div>
</template>

<style scoped>
.line {
  display: grid;
  grid-template-columns: minmax(150px, 1fr) 186px 96px 44px;
  gap: 2px 8px;
  align-items: center;
  padding: 3px 0;
  border-bottom: 1px solid var(--line);
}
.label:hover {
  text-decoration: underline;
  text-decoration-style: dotted;
  text-underline-offset: 3px;
}
.wide {
  grid-column: 2 / -1;
}
.words {
  width: 100%;
  text-align: left;
}
.origin {
  flex: none;
  width: 86px;
  color: var(--quiet);
}
.idle {
  opacity: 0;
}
.line:is(:hover, :focus-within) .idle {
  opacity: 1;
}
.origin :deep(.v-field) {
  background: none;
}
.origin.assumed {
  background: var(--hand);
  color: var(--on-hand);
}
.used input {
  font-weight: 700;
}
.evidence {
  padding: 2px 0 6px 12px;
  border-left: 2px solid var(--line);
}
.reading {
  grid-template-columns: 74px 90px 170px 1fr auto;
}
.use {
  border-width: 1px;
  padding: 1px 8px;
}
</style>
