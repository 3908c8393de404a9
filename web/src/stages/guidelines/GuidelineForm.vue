<script setup lang="ts">
/** What more of a variable does, where and on which engines: a guideline as it is typed, new or anew. */
import { computed, ref, watch } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useUnsaved } from '../../ui/useUnsaved'
import { EMPTY, type Guideline, type GuidelineTexts, useGuidelineChoices } from './useGuidelines'

const props = defineProps<{ guideline?: Guideline }>()
const emit = defineEmits<{ saved: [Guideline]; back: [] }>()
const { data: choices, error } = useGuidelineChoices()
const texts = useUnsaved<GuidelineTexts>(
  // Of one state of it: after a save, by whomever, the form opens with what is there then.
  props.guideline ? `guideline ${props.guideline.said.id} of ${props.guideline.at}` : 'guideline new',
  props.guideline ? { ...props.guideline.typed } : { ...EMPTY },
)
const wrong = ref<Record<string, string>>({})
const problem = ref<Error | null>(null)
const busy = ref(false)
const slots = computed(() => choices.value?.slots ?? [])
const variables = computed(() => slots.value.find((one) => one.slot === texts.value.slot)?.variables ?? [])
const unit = computed(() => variables.value.find((one) => one.key === texts.value.variable)?.unit ?? '')
const ofTorque = computed(() => texts.value.measure === 'torque')
const items = (rows: { value: string; label: string }[] | undefined) => rows ?? []
watch(variables, (offered) => {
  if (offered.length && !offered.some((one) => one.key === texts.value.variable))
    texts.value.variable = offered[0]!.key
})

function forget() {
  texts.value = props.guideline ? { ...props.guideline.typed } : { ...EMPTY }
}
async function save() {
  busy.value = true
  problem.value = null
  wrong.value = {}
  try {
    const body = { ...texts.value }
    const guideline_id = props.guideline?.said.id
    const saved = answer(
      guideline_id === undefined
        ? await api.POST('/api/guidelines', { body })
        : await api.PUT('/api/guidelines/{guideline_id}', { params: { path: { guideline_id } }, body }),
    )
    forget()
    emit('saved', saved)
  } catch (caught) {
    if (caught instanceof Problem && Object.keys(caught.fields).length) wrong.value = caught.fields
    else problem.value = caught as Error
  }
  busy.value = false
}
function back() {
  forget()
  emit('back')
}
</script>

<template>
  <v-form class="mb-6" data-test="guideline-form" @submit.prevent="save">
    <ProblemNote :error="error ?? problem" />
    <v-text-field
      v-model="texts.statement"
      label="Guideline"
      placeholder="Longer runners make torque below 4500 rpm"
      :error-messages="wrong.statement"
    />
    <div class="fields">
      <v-select
        v-model="texts.slot"
        label="Kind of part"
        :items="slots"
        item-title="label"
        item-value="slot"
        :error-messages="wrong.slot"
      />
      <v-select
        v-model="texts.variable"
        label="Deciding variable"
        :items="variables"
        item-title="label"
        item-value="key"
        :error-messages="wrong.variable"
      />
      <v-text-field
        v-model="texts.step"
        label="More of it, a step"
        :suffix="unit"
        placeholder="1 in"
        :error-messages="wrong.step"
      />
      <v-select
        v-model="texts.claimed"
        label="Makes"
        :items="items(choices?.claims)"
        :error-messages="wrong.claimed"
      />
      <v-select
        v-model="texts.measure"
        label="Figure"
        :items="items(choices?.measures)"
        :error-messages="wrong.measure"
      />
      <v-text-field
        v-model="texts.smallest"
        label="Smallest effect of a step that matters"
        :placeholder="ofTorque ? '0.3 %' : '50 rpm'"
        :error-messages="wrong.smallest"
      />
      <template v-if="ofTorque">
        <v-text-field
          v-model="texts.low_rpm"
          label="From"
          suffix="rpm"
          placeholder="as each test"
          :error-messages="wrong.low_rpm"
        />
        <v-text-field
          v-model="texts.high_rpm"
          label="To"
          suffix="rpm"
          placeholder="as each test"
          :error-messages="wrong.high_rpm"
        />
      </template>
      <v-text-field
        v-model="texts.engine_words"
        label="Engines whose name holds"
        placeholder="all"
        :error-messages="wrong.engine_words"
      />
    </div>
    <div class="d-flex ga-2 mt-2">
      <v-btn type="submit" color="hand" variant="flat" :disabled="busy">Save guideline</v-btn>
      <v-btn variant="text" @click="back">Cancel</v-btn>
    </div>
  </v-form>
</template>
