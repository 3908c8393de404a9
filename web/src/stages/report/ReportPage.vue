<script setup lang="ts">
/** What the customer takes: how it would look, issuing it, its files and links. */
import { computed, ref, useTemplateRef, watch, watchEffect } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useKeys } from '../../app/keys'
import GivenTo from './GivenTo.vue'
import HandoverPanel from './HandoverPanel.vue'
import IssuedReports from './IssuedReports.vue'
import SessionBooks from './SessionBooks.vue'
import { bodyOf, useChoice } from '../verdict/choice'
import { useSheets } from '../verdict/queries'
import { useFrame } from '../../app/frame'
import { useUnsaved } from '../../ui/useUnsaved'

const { programme, mayOperate } = useFrame()
const { choice } = useChoice()
const { data: sheets, error } = useSheets(() => programme.value.id)

const showOwner = ref(false)
const showPrices = ref(false)
const showEstimates = ref(false)
const interests = useUnsaved(`interests of ${programme.value.id}`, '')
const remark = useUnsaved(`remark of ${programme.value.id}`, '')
const change = useUnsaved(`change of ${programme.value.id}`, '')
/** 0: how it would look now; else a sheet that was issued. */
const shown = ref(0)
/** A session book or a handover sheet that is looked at in its place; 0: none. */
const book = ref(0)
const handover = ref(0)
function show(what: { sheet?: number; book?: number; handover?: number }) {
  shown.value = what.sheet ?? 0
  book.value = what.book ?? 0
  handover.value = what.handover ?? 0
}
const title = computed(() => {
  if (book.value) return 'Session book, as issued'
  if (handover.value) return 'Handover sheet, as issued'
  const number = sheets.value?.find((one) => one.id === shown.value)?.number
  return shown.value ? `Version ${number}, as issued` : 'Draft'
})
/** The page of what is looked at, as it was issued or would be now. */
async function page() {
  if (book.value)
    return answer(await api.GET('/api/books/{book_id}/html', { params: { path: { book_id: book.value } } }))
  if (handover.value)
    return answer(
      await api.GET('/api/handovers/{handover_id}/html', {
        params: { path: { handover_id: handover.value } },
      }),
    )
  if (shown.value)
    return answer(
      await api.GET('/api/sheets/{sheet_id}/html', { params: { path: { sheet_id: shown.value } } }),
    )
  return answer(
    await api.POST('/api/programmes/{programme_id}/sheet-preview', {
      params: { path: { programme_id: programme.value.id } },
      body: body.value,
    }),
  )
}
const html = ref('')
/** What kept the preview from being made, and what an issue was refused for: a preview that comes later takes only
 * its own word back. */
const unseen = ref<unknown>(null)
const refused = ref<unknown>(null)
const problem = computed(() => refused.value ?? unseen.value)
const fields = computed(() => (problem.value instanceof Problem ? problem.value.fields : {}))

const body = computed(() => ({
  ...bodyOf(choice.value),
  show_owner: showOwner.value,
  show_prices: showPrices.value,
  show_estimates: showEstimates.value,
  interests: interests.value,
  remark: remark.value,
  change: change.value,
}))

// The newest question wins: a preview that comes late is not shown over a later one.
let asked = 0
async function look() {
  const mine = ++asked
  try {
    const found = await page()
    if (mine !== asked) return
    html.value = found.html
    unseen.value = null
  } catch (caught) {
    if (mine === asked) unseen.value = caught
  }
}
let later = 0
watch(
  [() => ({ ...body.value, change: '' }), shown, book, handover],
  () => {
    window.clearTimeout(later)
    later = window.setTimeout(() => void look(), 200)
  },
  { immediate: true, deep: true },
)

watch([shown, book, handover], () => (refused.value = null))

// Its styles are its own, so that paper and screen are the same document.
const paper = useTemplateRef<HTMLElement>('paper')
watchEffect(() => {
  if (!paper.value) return
  const root = paper.value.shadowRoot ?? paper.value.attachShadow({ mode: 'open' })
  root.innerHTML = html.value
})

const issuing = useAction(async () =>
  answer(
    await api.POST('/api/programmes/{programme_id}/sheets', {
      params: { path: { programme_id: programme.value.id } },
      body: body.value,
    }),
  ),
)
async function issue() {
  if (!mayOperate.value) return
  refused.value = null
  try {
    show({ sheet: (await issuing.mutateAsync(undefined)).id })
    change.value = ''
  } catch (caught) {
    refused.value = caught
  }
}
const print = () => window.print()
useKeys([
  { key: 'i', label: 'I', does: 'Issue report', press: () => void issue() },
  { key: 'w', label: 'W', does: 'Preview', press: () => show({}) },
])
</script>

<template>
  <div class="page split aside-300 report">
    <div>
      <ProblemNote :error="error ?? (problem as Error | null)" />
      <div v-show="html" ref="paper" class="paper" data-test="paper" />
      <v-skeleton-loader v-if="!html && !problem" type="heading, paragraph, table" />
    </div>
    <aside class="d-grid ga-2 no-print">
      <h2>
        {{ title }}
      </h2>
      <div class="d-flex flex-wrap ga-2 align-center">
        <v-btn @click="print">Print</v-btn>
        <v-btn v-if="shown || book || handover" @click="show({})">Draft</v-btn>
      </div>
      <template v-if="!shown && !book && !handover">
        <p class="quiet prose size-15 line-text ma-0">
          Preview of the current verdict: duty, rule and standard are those of the Verdict screen.
        </p>
        <v-checkbox v-model="showOwner" label="The owner's name" />
        <v-checkbox v-model="showPrices" label="What parts cost" />
        <v-checkbox v-model="showEstimates" label="Kept estimates, not measured" />
        <v-text-field
          v-model="interests"
          label="Interests: who supplied or sells the parts"
          :error="Boolean(fields.interests)"
        />
        <v-textarea v-model="remark" label="Remark" rows="2" :error-messages="fields.remark" />
        <v-form v-if="mayOperate" @submit.prevent="issue">
          <v-text-field
            v-if="sheets?.length"
            v-model="change"
            :label="`What changed against version ${sheets[0]!.number}`"
            :error-messages="fields.change"
          />
          <v-btn type="submit" color="hand" variant="flat" :loading="issuing.isPending.value"
            >Issue report</v-btn
          >
        </v-form>
      </template>
      <GivenTo v-if="mayOperate" :programme="programme.id" />
      <h2 class="mt-2">Issued</h2>
      <p v-if="sheets && !sheets.length" class="quiet prose size-15 line-text ma-0">
        None yet. An issued report never changes; a correction is another version that says what changed.
      </p>
      <IssuedReports :sheets="sheets ?? []" :shown="shown" @show="(id) => show({ sheet: id })" />
      <SessionBooks
        :shown="book"
        :show-owner="showOwner"
        :interests="interests"
        @show="(id) => show({ book: id })"
      />
      <HandoverPanel
        :shown="handover"
        :show-owner="showOwner"
        :remark="remark"
        @show="(id) => show({ handover: id })"
      />
    </aside>
  </div>
</template>

<style scoped>
.paper {
  background: #fff;
  color: #17212b;
  border: 1px solid var(--line);
  padding: 26px 30px;
  max-width: 860px;
  margin: 0 auto;
}
@media (max-width: 960px) {
  .paper {
    padding: 14px;
  }
}
@media print {
  .paper {
    border: 0;
    padding: 0;
    max-width: none;
  }
}
</style>
