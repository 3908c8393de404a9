<script setup lang="ts">
/** A plan being written or changed: question, setups, day; what it can tell and how the day goes, at each change. */
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { useAddressTab } from '../../app/useAddress'
import StepPages from '../../ui/StepPages.vue'
import TabPages from '../../ui/TabPages.vue'
import DayEditor from './DayEditor.vue'
import { addSetup, isSlot, put } from './draft'
import HeldRows from './HeldRows.vue'
import { useFilledSlots, usePartNames } from '../parts/names'
import QuestionForm from './QuestionForm.vue'
import QuestionsTable from './QuestionsTable.vue'
import SetupMatrix from './SetupMatrix.vue'
import { usePlanDraft } from './usePlanDraft'

const props = defineProps<{ programme: number | null }>()
const emit = defineEmits<{ saved: [id: number]; leave: [] }>()
const plan = usePlanDraft(props.programme)
const { draft, ready, concluded, fields, message, restored, forget, slots, choices, slotOf, search } = plan
const { plannedParts, partOf, partsKnown } = plan
const { data: filled } = useFilledSlots()
const route = useRoute()
const router = useRouter()
const tab = useAddressTab(() => ['question', 'setups', 'day'])
const saving = ref(false)
/** The part that somebody was sent here with, to swap it in. */
const asked = computed(() => Number(route.query.swap) || 0)
const { partOf: swapOf } = usePartNames(() => (asked.value ? [asked.value] : []))
const swap = computed(() => swapOf(asked.value))

const wrongIn = (pattern: RegExp) => Object.keys(fields.value).filter((key) => pattern.test(key)).length
const DAY =
  /^(order|sessions|warm_up|pull_time|cool_down|conditioning|return_|fuel_|hour_price|setups\.\d+\.(pulls|visits|place))/
const SETUPS = /^(setups|rows)/
const tabs = computed(() => {
  const day = wrongIn(DAY)
  const setups = wrongIn(SETUPS) - wrongIn(/^setups\.\d+\.(pulls|visits|place)/)
  const question = Object.keys(fields.value).length - day - setups
  const marked = (label: string, wrong: number) => (wrong ? `${label} (${wrong} to fix)` : label)
  return [
    { key: 'question', label: marked('Question', question), wrong: question > 0 },
    { key: 'setups', label: marked('Setups', setups), wrong: setups > 0 },
    { key: 'day', label: marked('Day', day), wrong: day > 0 },
  ]
})

/** Every row that a setup uses, or of which the library has parts, is in the matrix of a plan that has none yet. */
watch(
  [ready, partsKnown, filled, slots, choices, swap],
  () => {
    if (!ready.value || !partsKnown.value || !filled.value || !slots.value || !choices.value) return
    const there = new Set(draft.rows.map((row) => row.key))
    const used = new Set(draft.setups.flatMap((setup) => (setup.part_ids ?? []).map((id) => slotOf(id))))
    const settings = new Set(draft.setups.flatMap((setup) => Object.keys(setup.settings ?? {})))
    const present = props.programme === null && !there.size ? new Set<string | undefined>(filled.value) : used
    for (const key of [
      ...slots.value.map((slot) => slot.value).filter((slot) => present.has(slot)),
      ...settings,
    ]) {
      if (there.has(key)) continue
      const usual = choices.value.works.find((work) => work.key === key)
      draft.rows.push({
        key,
        remove: usual?.remove ?? '0',
        install: usual?.install ?? '5',
        under: usual?.under ?? [],
      })
    }
    // A row above which there is nothing in this plan needs no one to say so.
    const keys = new Set(draft.rows.map((row) => row.key))
    draft.rows.forEach((row) => (row.under = row.under.filter((key) => keys.has(key))))
    plan.begin()
    swapIn()
  },
  { immediate: true },
)

/** The baseline with the part that somebody was sent here with in its slot. */
function swapIn() {
  const part = swap.value
  if (!part) return
  void router.replace({ query: { ...route.query, swap: undefined } })
  if (draft.setups.some((setup) => setup.part_ids?.includes(part.id))) return
  const place = addSetup(draft)
  put(draft, place, part.slot, String(part.id), slotOf)
  draft.setups[place]!.name = part.name
}

function addAsked(added: Record<string, string>, name: string) {
  const place = addSetup(draft)
  const setup = draft.setups[place]!
  setup.part_ids = []
  setup.settings = {}
  for (const [row, level] of Object.entries(added)) {
    if (level === '') continue
    if (!isSlot(row)) setup.settings[row] = level
    else
      setup.part_ids.push(
        ...level
          .split(' with ')
          .flatMap((name) => plannedParts.value.filter((id) => partOf(id)?.name === name)),
      )
  }
  setup.name = name
}

async function save() {
  saving.value = true
  const id = await plan.save()
  saving.value = false
  if (id !== null) return emit('saved', id)
  const first = Object.keys(fields.value)[0] ?? ''
  tab.value = DAY.test(first) ? 'day' : SETUPS.test(first) ? 'setups' : 'question'
}
</script>

<template>
  <v-form class="editor" @submit.prevent="save">
    <p v-if="restored" class="text px-4 pt-3">
      This is the draft you left.
      <v-link class="text-decoration-underline" @click="forget">Start over</v-link>
    </p>
    <v-skeleton-loader v-if="!ready && !message" type="heading, paragraph, table" class="page" />
    <component :is="programme === null ? StepPages : TabPages" v-else v-model="tab" :tabs="tabs">
      <template #beside>
        <span class="buttons mt-0 ml-auto">
          <v-btn type="submit" color="hand" variant="flat" :loading="saving">
            {{ programme === null ? 'Create test' : 'Save plan' }}
          </v-btn>
          <v-btn @click="emit('leave')">Cancel</v-btn>
        </span>
      </template>
      <template #question>
        <p v-if="message" class="message page pb-0" role="alert">{{ message }}</p>
        <QuestionForm class="page" :plan="plan" :fixed-engine="programme !== null" />
      </template>
      <template #setups>
        <p v-if="message" class="message page pb-0" role="alert">{{ message }}</p>
        <SetupMatrix class="page pb-0" :plan="plan" />
        <div v-if="concluded" class="page">
          <h2>What can be concluded</h2>
          <div class="split">
            <QuestionsTable :concluded="concluded" may-add @add="addAsked" />
            <div>
              <template v-if="concluded.held.length">
                <h2>The same in every setup</h2>
                <HeldRows :rows="concluded.held" />
              </template>
              <p v-for="warning in concluded.warnings" :key="warning" class="text hand-edge pl-2">
                {{ warning }}
              </p>
            </div>
          </div>
        </div>
        <p v-else class="text page">Choose the engine, and what can be concluded shows here.</p>
      </template>
      <template #day>
        <p v-if="!draft.build_id" class="text page pb-0">
          Choose the engine first: the day is worked out for it.
        </p>
        <DayEditor class="page" :plan="plan" />
      </template>
    </component>
    <p v-if="search.running.value && tab !== 'day'" class="quiet small px-4" role="status">
      Looking for the best running order…
    </p>
  </v-form>
</template>
