<script setup lang="ts">
/**
 * The build sheet with all that follows from it. On an open revision a value is written down when its field is left;
 * on one that a pull used, and in "what if", changes are tried and saved together as a new revision.
 */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, useTemplateRef, watch } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useKeys } from '../../app/keys'
import FiguresTable from './FiguresTable.vue'
import FlowTableEditor from './FlowTableEditor.vue'
import SheetGroup from './SheetGroup.vue'
import type { Build, Origin } from './useBuild'
import { useDraft } from './useDraft'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'

const props = defineProps<{ build: Build; mayOperate: boolean }>()
const emit = defineEmits<{ revision: [id: number] }>()
const queries = useQueryClient()
const draft = useDraft(() => props.build)
const trying = ref(false)
const whatIf = computed(() => props.build.used || trying.value)
const reason = ref('')
const reasonError = ref('')
const saving = ref(false)
watch(
  () => props.build.id,
  () => (trying.value = false),
)

function keep(key: string) {
  if (!whatIf.value) void draft.keep(key)
}

async function choose(key: string, origin: Origin) {
  try {
    const changed = answer(
      await api.POST('/api/builds/{build_id}/readings/{dimension}/{origin}/choose', {
        params: { path: { build_id: props.build.id, dimension: key, origin } },
      }),
    )
    queries.setQueryData(['build', changed.id], changed)
  } catch (caught) {
    draft.error.value = caught as Error
  }
}

async function save() {
  saving.value = true
  reasonError.value = ''
  try {
    const made = await draft.saveAsRevision(reason.value)
    reason.value = ''
    trying.value = false
    emit('revision', made.id)
  } catch (caught) {
    const fields = caught instanceof Problem ? caught.fields : {}
    reasonError.value = fields.reason ?? Object.values(fields)[0] ?? (caught as Error).message
  } finally {
    saving.value = false
  }
}

function drop() {
  draft.drop()
  trying.value = false
  reasonError.value = ''
}

function state(group: Build['groups'][number]): string {
  const lines = group.lines.filter((line) => !line.key.endsWith('_bank_2') || line.readings.length)
  return `${lines.filter((line) => line.readings.length).length} of ${lines.length}`
}

function toGroup(step: number) {
  const heads = props.build.groups.map((group) => document.getElementById(group.key)!)
  const at = heads.findIndex((head) => head.getBoundingClientRect().bottom > 120)
  heads[Math.min(heads.length - 1, Math.max(0, at + step))]?.scrollIntoView()
}

const reasonField = useTemplateRef<HTMLInputElement>('reasonField')
useKeys([
  {
    key: 's',
    label: 'S',
    does: 'Save what is tried: to its reason',
    press: () => reasonField.value?.focus(),
  },
  { key: 'd', label: 'D', does: 'Drop what is tried', press: drop },
  {
    key: 'w',
    label: 'W',
    does: 'What if: try changes without keeping them',
    press: () => (trying.value = true),
  },
  { key: ']', label: ']', does: 'Next group of the sheet', press: () => toGroup(1) },
  { key: '[', label: '[', does: 'Group before', press: () => toGroup(-1) },
])
const airflow = computed(() => draft.tried.value?.airflow ?? props.build.airflow)
const advance = computed(() => draft.tried.value?.advance ?? props.build.advance)
</script>

<template>
  <div class="sheet">
    <nav class="groups" aria-label="Groups of the sheet">
      <a v-for="group in build.groups" :key="group.key" :href="`#${group.key}`">
        {{ group.label }}
        <small>
          {{ state(group) }}
          <span v-if="group.findings.some((finding) => finding.caution)" class="hand-note" title="caution"
            >!</span
          >
        </small>
      </a>
    </nav>
    <div>
      <div
        class="bar position-sticky d-flex flex-wrap align-center gr-1 gc-3 py-2 px-0 on-ground prose size-15"
        :class="{ trying: whatIf && draft.edits.size }"
      >
        <template v-if="!mayOperate">
          <span class="quiet">Read-only: an operator changes the build.</span>
        </template>
        <template v-else-if="draft.edits.size && whatIf">
          <strong
            >{{ draft.edits.size }} {{ draft.edits.size === 1 ? 'change' : 'changes' }} tried, nothing
            saved</strong
          >
          <label>
            <span class="visually-hidden">Reason for the new revision</span>
            <v-text-field
              ref="reasonField"
              v-model="reason"
              class="w-320"
              placeholder="Reason for the new revision"
              @keydown.enter="save"
            />
          </label>
          <v-btn color="hand" variant="flat" :disabled="saving" @click="save">Save as a new revision</v-btn>
          <v-btn @click="drop">Drop</v-btn>
          <span v-if="reasonError" class="message font-weight-bold" role="alert">{{ reasonError }}</span>
        </template>
        <template v-else-if="build.used">
          <span>
            A pull was made with this revision, so it stays as it was. Change a value to see what would
            follow, and save it as a new revision.
          </span>
        </template>
        <template v-else-if="trying">
          <span>What if: change a value to see what would follow. Nothing is saved.</span>
          <v-btn @click="drop">Back to the build</v-btn>
        </template>
        <template v-else>
          <span class="quiet">
            A value is written down when you leave its field. It may carry its unit: 1.5 in, 62 cc, 29.92
            inHg.
          </span>
          <v-btn @click="trying = true">What if…</v-btn>
        </template>
      </div>
      <ProblemNote :error="draft.error.value" />
      <SheetGroup
        v-for="group in build.groups"
        :key="group.key"
        :group="group"
        :draft="draft"
        :readonly="!mayOperate"
        @keep="keep"
        @choose="choose"
      >
        <template v-if="group.key === 'camshaft' && advance">
          <DisclosurePanel title="What advancing the cam moves">
            <div class="advance d-flex align-center ga-3 pt-2 pb-1 px-0">
              Advanced by
              <v-slider
                :model-value="Number(draft.advance.value) || 0"
                :min="-20"
                :max="20"
                :step="0.5"
                hide-details
                color="primary"
                aria-label="Slide to advance the cam, degrees"
                @update:model-value="(degrees: number) => (draft.advance.value = String(degrees))"
              />
              <v-text-field
                v-model="draft.advance.value"
                inputmode="decimal"
                class="number w-60 flex-grow-0"
                suffix="°"
                aria-label="Degrees to advance the cam by"
              />
            </div>
            <FiguresTable :table="advance" caption="What advancing the cam moves" />
          </DisclosurePanel>
        </template>
        <template v-if="group.key === 'heads'">
          <FlowTableEditor :build="build" side="intake" :readonly="!mayOperate || build.used" />
          <FlowTableEditor :build="build" side="exhaust" :readonly="!mayOperate || build.used" />
        </template>
        <template v-if="group.key === 'intake' && airflow">
          <DisclosurePanel title="Airflow demand by engine speed">
            <FiguresTable :table="airflow" caption="Air, carburetor and throttle by engine speed" />
          </DisclosurePanel>
        </template>
      </SheetGroup>
    </div>
  </div>
</template>

<style scoped>
.sheet {
  display: grid;
  grid-template-columns: 128px 1fr;
  gap: 24px;
  padding: 0 18px 60px;
  max-width: 1280px;
}
.groups {
  position: sticky;
  top: var(--v-layout-top); /* under the top bar */
  align-self: start;
  padding-top: 18px;
}
.groups a {
  display: block;
  padding: 4px 0;
  color: var(--ink);
  text-decoration: none;
}
.groups a:hover {
  text-decoration: underline;
}
.groups small {
  display: block;
  color: var(--quiet);
  font-size: 11px;
}
.groups .hand-note {
  padding: 0 5px;
  font-size: 11px;
}
.bar {
  top: var(--v-layout-top); /* under the top bar */
  z-index: 2;
  border-bottom: 1px solid var(--ink);
}
.bar.trying {
  background: var(--hand);
  color: var(--on-hand);
  padding: 10px 12px;
}
.trying .v-btn.hand {
  background: var(--ink);
  color: var(--panel);
}
.trying .v-btn:not(.hand) {
  color: var(--on-hand);
}
@media (max-width: 900px) {
  .sheet {
    grid-template-columns: 1fr;
  }
  .groups {
    display: none;
  }
}
</style>
