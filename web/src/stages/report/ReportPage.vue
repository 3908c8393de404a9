<script setup lang="ts">
/** What the customer takes: how it would look, issuing it, its files and links. */
import { computed, ref, useTemplateRef, watch, watchEffect } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { clock, day } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import GivenTo from './GivenTo.vue'
import { bodyOf, useChoice } from '../verdict/choice'
import { useSheets } from '../verdict/queries'
import { useFrame } from '../../app/frame'
import { useKept } from '../../ui/useKept'

const { programme, mayOperate } = useFrame()
const { choice } = useChoice()
const { data: sheets, error } = useSheets(() => programme.value.id)

const showOwner = ref(false)
const showPrices = ref(false)
const interests = useKept(`interests of ${programme.value.id}`, '')
const remark = useKept(`remark of ${programme.value.id}`, '')
const change = useKept(`change of ${programme.value.id}`, '')
const days = ref('30')
const recipient = ref('')
/** 0: how it would look now; else a sheet that was issued. */
const shown = ref(0)
const html = ref('')
const problem = ref<unknown>(null)
const fields = computed(() => (problem.value instanceof Problem ? problem.value.fields : {}))

const body = computed(() => ({
  ...bodyOf(choice.value),
  show_owner: showOwner.value,
  show_prices: showPrices.value,
  interests: interests.value,
  remark: remark.value,
  change: change.value,
}))

// The newest question wins: a preview that comes late is not shown over a later one.
let asked = 0
async function look() {
  const mine = ++asked
  try {
    const id = programme.value.id
    const found = shown.value
      ? answer(await api.GET('/api/sheets/{sheet_id}/html', { params: { path: { sheet_id: shown.value } } }))
      : answer(
          await api.POST('/api/programmes/{programme_id}/sheet-preview', {
            params: { path: { programme_id: id } },
            body: body.value,
          }),
        )
    if (mine !== asked) return
    html.value = found.html
    problem.value = null
  } catch (caught) {
    if (mine === asked) problem.value = caught
  }
}
let later = 0
watch(
  [() => ({ ...body.value, change: '' }), shown],
  () => {
    window.clearTimeout(later)
    later = window.setTimeout(() => void look(), 200)
  },
  { immediate: true, deep: true },
)

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
  try {
    shown.value = (await issuing.mutateAsync(undefined)).id
    change.value = ''
  } catch (caught) {
    problem.value = caught
  }
}
const giving = useAction(async (sheet_id: number) =>
  answer(
    await api.POST('/api/sheets/{sheet_id}/links', {
      params: { path: { sheet_id } },
      body: { days: Number(days.value) || 0, recipient: recipient.value },
    }),
  ),
)
async function give(sheet: number) {
  try {
    await giving.mutateAsync(sheet)
    recipient.value = ''
  } catch (caught) {
    problem.value = caught
  }
}
const revoking = useAction(async (link_id: number) =>
  answer(await api.DELETE('/api/links/{link_id}', { params: { path: { link_id } } })),
)
const whole = (address: string) => `${window.location.origin}${address}`
const print = () => window.print()
useKeys([
  { key: 'i', label: 'I', does: 'Issue the sheet', press: () => void issue() },
  { key: 'w', label: 'W', does: 'How it would look now', press: () => (shown.value = 0) },
])
</script>

<template>
  <div class="page d-grid ga-6 pt-4 pb-7 px-4">
    <div>
      <ProblemNote :error="error ?? (problem as Error | null)" />
      <div v-show="html" ref="paper" class="paper" data-test="paper" />
      <p v-if="!html && !problem" class="text quiet">Composing the sheet…</p>
    </div>
    <aside>
      <h2>
        {{ shown ? `Version ${sheets?.find((one) => one.id === shown)?.number}, as issued` : 'Draft' }}
      </h2>
      <div class="d-flex flex-wrap ga-2 align-center">
        <v-btn @click="print">Print</v-btn>
        <v-btn v-if="shown" @click="shown = 0">Draft</v-btn>
      </div>
      <template v-if="!shown">
        <p class="quiet prose size-15 line-text ma-0">
          Preview of the current verdict: duty, rule and standard are those of the Verdict screen.
        </p>
        <v-checkbox v-model="showOwner" label="The owner's name" />
        <v-checkbox v-model="showPrices" label="What parts cost" />
        <v-text-field
          v-model="interests"
          label="Interests: who supplied or sells the parts"
          :error="Boolean(fields.interests)"
        />
        <v-textarea v-model="remark" label="Remark" rows="2" :error-messages="fields.remark" />
        <form v-if="mayOperate" @submit.prevent="issue">
          <v-text-field
            v-if="sheets?.length"
            v-model="change"
            :label="`What changed against version ${sheets[0]!.number}`"
            :error-messages="fields.change"
          />
          <v-btn type="submit" color="hand" variant="flat" :loading="issuing.isPending.value"
            >Issue report</v-btn
          >
        </form>
      </template>
      <GivenTo v-if="mayOperate" :programme="programme.id" />
      <h2 class="mt-2">Issued</h2>
      <p v-if="sheets && !sheets.length" class="quiet prose size-15 line-text ma-0">
        None yet. An issued sheet never changes; a correction is another version that says what changed.
      </p>
      <ol data-test="sheets">
        <li v-for="one in sheets" :key="one.id">
          <button type="button" :aria-pressed="shown === one.id" @click="shown = one.id">
            Version {{ one.number }}
          </button>
          <span class="quiet">&nbsp; {{ day(one.at) }} {{ clock(one.at) }}, {{ one.by }}</span>
          <div v-if="one.change" class="prose size-15 line-text ma-0">{{ one.change }}</div>
          <div class="d-flex flex-wrap ga-2 align-center my-1 mx-0">
            <a
              v-for="kind in ['pdf', 'csv', 'xlsx', 'svg', 'png']"
              :key="kind"
              :href="`/api/sheets/${one.id}/sheet.${kind}`"
              download
              >{{ kind.toUpperCase() }}</a
            >
          </div>
          <div v-for="link in one.links" :key="link.id" class="link" :class="{ closed: !link.open }">
            <a
              v-if="link.open && link.address"
              :href="link.address"
              target="_blank"
              rel="noreferrer"
              data-test="link"
              >{{ link.recipient || 'Link' }}</a
            >
            <span v-else>{{ link.recipient || 'Link' }}</span>
            <span class="quiet">
              {{ link.revoked_at ? 'taken back' : link.open ? `until ${day(link.expires_at)}` : 'expired' }},
              opened {{ link.opened }} times
            </span>
            <v-text-field
              v-if="link.open && link.address"
              readonly
              :model-value="whole(link.address)"
              aria-label="Address of the link"
              @focus="($event.target as HTMLInputElement).select()"
            />
            <button v-if="mayOperate && link.open" type="button" @click="revoking.mutate(link.id)">
              Revoke
            </button>
          </div>
          <form
            v-if="mayOperate && shown === one.id"
            class="give align-center"
            @submit.prevent="give(one.id)"
          >
            <v-text-field v-model="recipient" placeholder="Recipient" aria-label="Recipient of the link" />
            <v-text-field
              v-model="days"
              inputmode="numeric"
              class="number w-60"
              aria-label="Days that the link lasts"
              :error="Boolean(fields.days)"
            />
            <span class="quiet">days</span>
            <v-btn type="submit">Create link</v-btn>
          </form>
        </li>
      </ol>
    </aside>
  </div>
</template>

<style scoped>
.page {
  grid-template-columns: minmax(0, 1fr) 290px;
}
.paper {
  background: #fff;
  color: #17212b;
  border: 1px solid var(--line);
  padding: 26px 30px;
  max-width: 860px;
  margin: 0 auto;
}
aside {
  min-width: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 9px;
  align-content: start;
}
label {
  display: grid;
  gap: 3px;
  color: var(--quiet);
}
.tick {
  display: flex;
  gap: 8px;
  align-items: center;
  color: var(--ink);
}
form {
  display: grid;
  gap: 8px;
}
.give {
  grid-template-columns: minmax(0, 1fr) 46px auto;
}
ol {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  border-top: 1px solid var(--line);
  padding: 8px 0;
}
li > button[aria-pressed='true'] {
  font-weight: 700;
}
.link {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 2px 8px;
  margin: 4px 0;
}
.give .v-btn {
  grid-column: 1 / -1;
  justify-self: start;
}
.link .quiet {
  grid-column: 1 / -1;
}
.closed {
  color: var(--quiet);
}
.message {
  color: var(--stop);
}
@media (max-width: 1000px) {
  .page {
    grid-template-columns: 1fr;
  }
  .paper {
    padding: 14px;
  }
}
</style>
<style>
@media print {
  .rail,
  .top,
  .ribbon,
  aside {
    display: none;
  }
  .frame {
    display: block;
  }
  .paper {
    border: 0;
    padding: 0;
    max-width: none;
  }
}
</style>
