<script setup lang="ts">
/** Why a guideline may hold: explanations with their grades beside each other, and what would separate them. */
import { computed, reactive, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { done } from '../../app/undo'
import ProblemNote from '../../ui/ProblemNote.vue'
import { day } from '../../ui/figures'
import { type Guideline, useGuidelineChoices, useKeepGuideline } from './useGuidelines'

const props = defineProps<{ guideline: Guideline; mayOperate: boolean }>()
const keep = useKeepGuideline()
const { data: choices } = useGuidelineChoices()
const blank = { text: '', grade: 'opinion', programme_id: null as number | null, separated_by: '' }
const given = reactive({ ...blank })
const wrong = ref<Record<string, string>>({})
const problem = ref<Error | null>(null)
const tests = computed(() => {
  const seen = new Map(props.guideline.by_test.map((one) => [one.programme_id, one.question]))
  return [...seen].map(([value, label]) => ({ value, label }))
})

async function add() {
  wrong.value = {}
  problem.value = null
  try {
    await keep(
      answer(
        await api.POST('/api/guidelines/{guideline_id}/explanations', {
          params: { path: { guideline_id: props.guideline.said.id } },
          body: { ...given },
        }),
      ),
    )
    Object.assign(given, blank)
  } catch (caught) {
    if (caught instanceof Problem && Object.keys(caught.fields).length) wrong.value = caught.fields
    else problem.value = caught as Error
  }
}
async function withdraw(explanation_id: number, withdrawn: boolean) {
  await keep(
    answer(
      await api.PUT('/api/explanations/{explanation_id}/withdrawn', {
        params: { path: { explanation_id } },
        body: { withdrawn },
      }),
    ),
  )
}
async function turn(one: Schema['ExplanationOut']) {
  problem.value = null
  try {
    await withdraw(one.id, !one.withdrawn)
    done(one.withdrawn ? 'The explanation stands again.' : 'The explanation is withdrawn.', () =>
      withdraw(one.id, one.withdrawn),
    )
  } catch (caught) {
    problem.value = caught as Error
  }
}
</script>

<template>
  <section class="mt-8">
    <h2>Why it may be so</h2>
    <ProblemNote :error="problem" />
    <ul v-if="guideline.explanations.length" class="plain-list pa-0" data-test="explanations">
      <li v-for="one in guideline.explanations" :key="one.id" class="py-2 border-t">
        <div :class="{ 'text-decoration-line-through': one.withdrawn }">
          <strong>{{ one.grade_label }}:</strong> {{ one.text }}
        </div>
        <div class="quiet small">
          {{ one.by }}, {{ day(one.at) }}
          <template v-if="one.programme_id">
            · measured in
            <router-link :to="{ name: 'verdict', params: { id: one.programme_id } }">{{
              one.question
            }}</router-link></template
          >
          <template v-if="one.separated_by"> · would be separated by: {{ one.separated_by }}</template>
          <template v-if="one.withdrawn"> · withdrawn</template>
        </div>
        <v-btn v-if="mayOperate" variant="text" @click="turn(one)">{{
          one.withdrawn ? 'Restore explanation' : 'Withdraw explanation'
        }}</v-btn>
      </li>
    </ul>
    <p v-else class="text">No explanation yet.</p>
    <p v-if="guideline.rivals" class="text" data-test="rivals">{{ guideline.rivals }}</p>
    <v-form v-if="mayOperate" class="fields" @submit.prevent="add">
      <v-text-field v-model="given.text" label="Explanation" :error-messages="wrong.text" />
      <v-select
        v-model="given.grade"
        label="Rests on"
        :items="choices?.grades ?? []"
        :error-messages="wrong.grade"
      />
      <v-select
        v-if="given.grade === 'measured'"
        v-model="given.programme_id"
        label="Measured in"
        :items="tests"
        :error-messages="wrong.programme_id"
      />
      <v-text-field
        v-model="given.separated_by"
        label="Test that would separate it from others"
        :error-messages="wrong.separated_by"
      />
      <v-btn type="submit">Add explanation</v-btn>
    </v-form>
  </section>
</template>
