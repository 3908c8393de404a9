<script setup lang="ts">
/** A plan being written or changed: question, setups, day; what it can tell and how the day goes, at each change. */
import { computed, ref, watch } from 'vue'

import TabRow from '../../ui/TabRow.vue'
import DayEditor from './DayEditor.vue'
import { addSetup, isSlot } from './draft'
import QuestionForm from './QuestionForm.vue'
import QuestionsTable from './QuestionsTable.vue'
import SetupMatrix from './SetupMatrix.vue'
import { usePlanDraft } from './usePlanDraft'

const props = defineProps<{ programme: number | null }>()
const emit = defineEmits<{ saved: [id: number]; leave: [] }>()
const plan = usePlanDraft(props.programme)
const { draft, ready, told, fields, message, restored, forget, parts, slots, choices, slotOf, search } = plan
const tab = ref('question')
const saving = ref(false)

const wrongIn = (pattern: RegExp) => Object.keys(fields.value).filter((key) => pattern.test(key)).length
const DAY =
  /^(order|sessions|warm_up|pull_time|cool_down|conditioning|return_|fuel_|hour_price|setups\.\d+\.(pulls|visits|place))/
const SETUPS = /^(setups|rows)/
const tabs = computed(() => {
  const day = wrongIn(DAY)
  const setups = wrongIn(SETUPS) - wrongIn(/^setups\.\d+\.(pulls|visits|place)/)
  const question = Object.keys(fields.value).length - day - setups
  const marked = (label: string, wrong: number) => (wrong ? `${label} (${wrong} to mend)` : label)
  return [
    { key: 'question', label: marked('Question', question) },
    { key: 'setups', label: marked('Setups', setups) },
    { key: 'day', label: marked('Day', day) },
  ]
})

/** Every row that a setup uses, or of which the library has parts, is in the matrix of a plan that has none yet. */
watch(
  [ready, parts, slots, choices],
  () => {
    if (!ready.value || !parts.value || !slots.value || !choices.value) return
    const there = new Set(draft.rows.map((row) => row.key))
    const used = new Set(draft.setups.flatMap((setup) => (setup.part_ids ?? []).map((id) => slotOf(id))))
    const settings = new Set(draft.setups.flatMap((setup) => Object.keys(setup.settings ?? {})))
    const present =
      props.programme === null && !there.size
        ? new Set(parts.value.flatMap((part) => (part.archived ? [] : [part.slot])))
        : used
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
  },
  { immediate: true },
)

function addTheBest() {
  const added = told.value?.added
  if (!added) return
  const place = addSetup(draft)
  const setup = draft.setups[place]!
  setup.part_ids = []
  setup.settings = {}
  for (const [row, level] of Object.entries(added)) {
    if (level === '') continue
    if (!isSlot(row)) setup.settings[row] = level
    else
      setup.part_ids.push(
        ...level.split(' with ').flatMap((name) => parts.value?.find((part) => part.name === name)?.id ?? []),
      )
  }
  setup.name = 'To split the package'
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
  <form class="editor" @submit.prevent="save">
    <TabRow :tabs="tabs" :shown="tab" @show="(key) => (tab = key)">
      <span class="buttons">
        <v-btn type="submit" color="hand" variant="flat" :loading="saving">
          {{ programme === null ? 'Create test' : 'Save plan' }}
        </v-btn>
        <v-btn @click="emit('leave')">Cancel</v-btn>
      </span>
    </TabRow>
    <p v-if="!ready && !message" class="text inside" role="status">The plan is being read…</p>
    <div v-else class="inside">
      <p v-if="message && tab !== 'day'" class="message" role="alert">{{ message }}</p>
      <p v-if="restored" class="text">
        This is the draft that you left.
        <button type="button" class="more" @click="forget">Begin anew</button>
      </p>
      <QuestionForm v-if="tab === 'question'" :plan="plan" :fixed-engine="programme !== null" />
      <template v-else-if="tab === 'setups'">
        <SetupMatrix :plan="plan" />
        <template v-if="told">
          <h2 class="next">What can be concluded</h2>
          <div class="columns">
            <QuestionsTable :concluded="told" may-add @add="addTheBest" />
            <div>
              <p v-if="told.held.length" class="text">
                The same in every setup:
                {{ told.held.map((row) => `${row.label.toLowerCase()} ${row.level}`).join(', ') }}.
              </p>
              <p v-for="warning in told.warnings" :key="warning" class="text flag">{{ warning }}</p>
            </div>
          </div>
        </template>
        <p v-else class="text">Choose the engine, and what the setups can tell shows here.</p>
      </template>
      <template v-else>
        <p v-if="!draft.build_id" class="text">Choose the engine first: the day is worked out for it.</p>
        <DayEditor :plan="plan" />
      </template>
      <p v-if="search.running.value && tab !== 'day'" class="quiet small" role="status">
        Looking for the best running order…
      </p>
    </div>
  </form>
</template>

<style scoped>
.inside {
  padding: 14px 18px 30px;
}
.buttons {
  margin: 0 0 6px auto;
}
.columns {
  display: grid;
  grid-template-columns: 1.2fr 1fr;
  gap: 40px;
}
.next {
  margin-top: 22px;
}
.flag {
  border-left: 4px solid var(--hand);
  padding-left: 10px;
}
.more {
  text-decoration: underline;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: 1fr;
  }
}
</style>
