<script setup lang="ts">
/** Explanations that compete: what each predicts of which figure, and the swap that tells them apart. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { figure } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import { usePartNames } from '../parts/names'
import PartPicker from '../parts/PartPicker.vue'
import { useUnsavedEdit } from '../../ui/useUnsaved'

/** A line of the table: a figure of a setup ("setup 3") or of a part at hand ("part 9"). */
interface Line {
  subject: string
  measure: string
  speeds: string
}
interface Edit {
  lines: Line[]
  theories: { name: string; texts: string[] }[]
}
const MOST = 4
const { programme, mayOperate } = useFrame()
const queries = useQueryClient()
const key = computed(() => ['theories', programme.value.id] as const)
const { data: theories } = useQuery({
  queryKey: key,
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/theories', { params: { path: { programme_id } } })),
})
const edit = useUnsavedEdit<Edit>(`rival theories of ${programme.value.id}`)
const fields = ref<Record<string, string>>({})
const message = ref('')
const partIn = (subject: string) => (subject.startsWith('part ') ? [Number(subject.slice(5))] : [])
const { partOf } = usePartNames(() => (edit.value?.lines ?? []).flatMap((line) => partIn(line.subject)))
/** The setups of the test, and the parts that are chosen; other parts are found by typing. */
const near = computed(() => {
  const chosen = new Set((edit.value?.lines ?? []).flatMap((line) => partIn(line.subject)))
  return [
    ...programme.value.setups
      .filter((one) => !one.is_baseline)
      .map((one) => ({ value: `setup ${one.id}`, label: `${one.letter} ${one.name}` })),
    ...[...chosen].flatMap((id) => {
      const part = partOf(id)
      return part ? [{ value: `part ${id}`, label: part.name }] : []
    }),
  ]
})

function subjectOf(given: Schema['TheoryCaseIn']): string {
  return given.setup_id ? `setup ${given.setup_id}` : `part ${given.part_id}`
}
function blank(): Line {
  return { subject: near.value[0]?.value ?? '', measure: 'average_torque', speeds: '' }
}

function begin() {
  fields.value = {}
  message.value = ''
  const lines = (theories.value?.cases ?? []).map((one) => ({
    subject: subjectOf(one),
    measure: one.measure ?? 'average_torque',
    speeds: one.speeds ?? '',
  }))
  const held = (theories.value?.theories ?? []).map((one) => ({ name: one.name, texts: [...one.texts] }))
  if (!lines.length) lines.push(blank())
  while (held.length < 2) held.push({ name: '', texts: lines.map(() => '') })
  edit.value = { lines, theories: held }
}
function addLine() {
  edit.value!.lines.push(blank())
  edit.value!.theories.forEach((one) => one.texts.push(''))
}
function dropLine(place: number) {
  edit.value!.lines.splice(place, 1)
  edit.value!.theories.forEach((one) => one.texts.splice(place, 1))
}
function addTheory() {
  edit.value!.theories.push({ name: '', texts: edit.value!.lines.map(() => '') })
}

async function write() {
  const given = edit.value!
  try {
    const written = answer(
      await api.PUT('/api/programmes/{programme_id}/theories', {
        params: { path: { programme_id: programme.value.id } },
        body: {
          cases: given.lines.map((line) => {
            const [kind, id] = line.subject.split(' ')
            return {
              setup_id: kind === 'setup' ? Number(id) : null,
              part_id: kind === 'part' ? Number(id) : null,
              measure: line.measure,
              speeds: line.speeds,
            }
          }),
          theories: given.theories.filter((one) => one.name.trim() || one.texts.some(Boolean)),
        },
      }),
    )
    fields.value = {}
    message.value = ''
    queries.setQueryData(key.value, written)
    edit.value = null
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : {}
    message.value = (caught as Error).message
  }
}
const held = computed(() => theories.value?.theories ?? [])
const slips = (...keys: string[]) => keys.flatMap((one) => fields.value[one] ?? [])
function predicted(text: string | undefined): string {
  if (!text) return '–'
  return /\d/.test(text) ? `${text.replaceAll('-', '−')} %` : text
}
function pullsWords(one: Schema['SeparationOut']): string {
  if (one.pulls !== null) return String(one.pulls)
  return one.apart_percent ? 'too many, or scatter not known' : 'not separated'
}
</script>

<template>
  <section class="mt-7" data-test="theories">
    <h2>Competing theories</h2>
    <p v-if="!held.length && !edit" class="text">
      Two explanations for one thing? Write down what each predicts, of a setup or of a part at hand, and the
      swap that tells them apart shows.
    </p>
    <p v-if="theories?.swap && !edit" class="text hand-edge pl-2" data-test="separation">
      {{ theories.swap.sentence }}
      <RouterLink
        v-if="theories.swap.part_id && mayOperate"
        :to="{
          name: 'change-plan',
          params: { id: programme.id },
          query: { tab: 'setups', swap: theories.swap.part_id },
        }"
        >Add the setup</RouterLink
      >
    </p>
    <p v-if="theories?.nothing && !edit" class="text hand-edge pl-2">{{ theories.nothing }}</p>

    <v-form v-if="edit" @submit.prevent="write">
      <div class="d-flex flex-wrap ga-3 mb-3">
        <v-text-field
          v-for="(one, place) in edit.theories"
          :key="place"
          v-model="one.name"
          :label="`Theory ${place + 1}`"
          placeholder="Because…"
          :error-messages="slips(`theories.${place}.name`)"
        />
      </div>
      <fieldset v-for="(line, at) in edit.lines" :key="at" class="border pa-2 mb-2">
        <legend class="quiet small">Line {{ at + 1 }}</legend>
        <div class="d-flex flex-wrap ga-2 align-center">
          <PartPicker
            v-model="line.subject"
            class="subject"
            :near="near"
            :as="(id) => `part ${id}`"
            :aria-label="`Setup or part of line ${at + 1}`"
            :error-messages="slips(`cases.${at}.subject`)"
          />
          <v-select
            v-model="line.measure"
            class="figure"
            :items="theories?.measures"
            :aria-label="`Figure of line ${at + 1}`"
            :error-messages="slips(`cases.${at}.measure`)"
          />
          <v-text-field
            v-model="line.speeds"
            class="speeds"
            placeholder="all, or: at 2500"
            :aria-label="`Speeds of line ${at + 1}`"
            :error-messages="slips(`cases.${at}.speeds`)"
          />
        </div>
        <div class="d-flex flex-wrap ga-2 mt-2 align-center">
          <v-text-field
            v-for="(one, place) in edit.theories"
            :key="place"
            v-model="one.texts[at]"
            class="predicted"
            suffix="%"
            placeholder="1 to 2, less, at least 3"
            :aria-label="`Theory ${place + 1} predicts in line ${at + 1}`"
            :error-messages="slips(`theories.${place}.${at}`)"
          />
          <v-link :aria-label="`Drop line ${at + 1}`" @click="dropLine(at)">Drop</v-link>
        </div>
      </fieldset>
      <p v-if="message" class="message" role="alert">{{ message }}</p>
      <div class="buttons">
        <v-btn type="submit">Save theories</v-btn>
        <v-btn @click="addLine">Add line</v-btn>
        <v-btn :disabled="edit.theories.length >= MOST" @click="addTheory">Add theory</v-btn>
        <v-btn @click="edit = null">Cancel</v-btn>
      </div>
    </v-form>

    <v-table v-else-if="held.length" class="figures" data-test="predictions">
      <thead>
        <tr>
          <th class="words">Predicted, against the baseline</th>
          <th v-for="one in held" :key="one.name" class="words">{{ one.name }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(label, at) in theories!.labels" :key="label">
          <td class="words">{{ label }}</td>
          <td v-for="one in held" :key="one.name" class="words">
            {{ predicted(one.texts[at]) }}
          </td>
        </tr>
      </tbody>
    </v-table>
    <v-table v-if="theories?.separations.length && !edit" class="figures mt-3">
      <thead>
        <tr>
          <th class="words">Separated by</th>
          <th v-if="held.length > 2" class="words">Theories</th>
          <th>They differ by, %</th>
          <th class="words">Pulls per setup</th>
          <th>Minutes</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in theories.separations" :key="`${one.one} ${one.other} ${one.case}`">
          <td class="words">
            {{ theories.labels[one.case] }}
            <div v-for="reason in one.fails" :key="reason" class="small message">{{ reason }}</div>
          </td>
          <td v-if="held.length > 2" class="words">{{ one.one }} / {{ one.other }}</td>
          <td>{{ figure(one.apart_percent) }}</td>
          <td class="words">{{ pullsWords(one) }}</td>
          <td>{{ one.minutes === null ? '–' : figure(one.minutes, 0) }}</td>
        </tr>
      </tbody>
    </v-table>
    <v-btn v-if="mayOperate && !edit" class="mt-2" @click="begin">
      {{ held.length ? 'Edit theories' : 'Add theories' }}
    </v-btn>
  </section>
</template>

<style scoped>
.subject,
.predicted {
  flex: 1 1 220px;
}
.figure {
  flex: 1 1 180px;
}
.speeds {
  flex: 0 1 150px;
}
</style>
