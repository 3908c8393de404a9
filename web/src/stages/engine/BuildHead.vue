<script setup lang="ts">
/** Whose engine, which revision, why it was made; and remarks. */
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api, Problem } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useFirstFocus } from '../../ui/useFirstFocus'
import type { Build } from './useBuild'

const props = defineProps<{ build: Build; mayOperate: boolean }>()
const queries = useQueryClient()
const router = useRouter()
const editing = ref(false)
const owner = ref('')
const confidential = ref(false)
const notes = ref('')
const save = useAction(async () => {
  answer(
    await api.PUT('/api/engines/{engine_id}/owner', {
      params: { path: { engine_id: props.build.engine.id } },
      body: { owner: owner.value, confidential: confidential.value },
    }),
  )
  const changed = answer(
    await api.PUT('/api/builds/{build_id}/notes', {
      params: { path: { build_id: props.build.id } },
      body: { notes: notes.value },
    }),
  )
  queries.setQueryData(['build', changed.id], changed)
  editing.value = false
})

/** For what is not a dimension of the sheet: every value stays as it is. */
const revising = ref(false)
useFirstFocus('first')
const reason = ref('')
const revise = useAction(async () => {
  const made = answer(
    await api.POST('/api/builds/{build_id}/successor', {
      params: { path: { build_id: props.build.id } },
      body: { changes: {}, reason: reason.value },
    }),
  )
  revising.value = false
  reason.value = ''
  await router.push({ name: 'build', params: { id: made.id } })
})

function begin() {
  owner.value = props.build.engine.owner
  confidential.value = props.build.engine.confidential
  notes.value = props.build.notes
  editing.value = true
}
</script>

<template>
  <div class="d-flex flex-wrap align-baseline gr-1 gc-4 pt-3 pb-1 px-4">
    <h1>{{ build.engine.name }}</h1>
    <span>rev {{ build.revision }}</span>
    <span v-if="build.reason" class="quiet">{{ build.reason }}</span>
    <span v-if="build.engine.owner" class="quiet">{{ build.engine.owner }}</span>
    <span v-if="build.engine.confidential" class="hand-note small">confidential</span>
    <span v-if="build.notes" class="quiet">{{ build.notes }}</span>
    <v-link v-if="mayOperate && !editing" class="quiet" @click="begin">Owner and notes…</v-link>
    <v-link v-if="mayOperate && !revising" class="quiet" @click="revising = true"> New revision… </v-link>
    <v-form v-if="revising" @submit.prevent="revise.mutate(undefined)">
      <ProblemNote :error="revise.error.value" />
      <v-text-field
        ref="first"
        v-model="reason"
        label="What was changed, such as new rings"
        :error-messages="revise.error.value instanceof Problem ? revise.error.value.fields.reason : undefined"
      />
      <v-btn type="submit" color="hand" variant="flat">Add revision</v-btn>
      <v-btn variant="text" @click="revising = false">Cancel</v-btn>
    </v-form>
    <v-form v-if="editing" @submit.prevent="save.mutate(undefined)">
      <ProblemNote :error="save.error.value" />
      <v-text-field v-model="owner" label="Whose it is" />
      <v-checkbox v-model="confidential" label="confidential: hidden from viewers, report links closed" />
      <v-text-field v-model="notes" label="Notes" class="notes" />
      <v-btn type="submit" color="hand" variant="flat">Save</v-btn>
      <v-btn @click="editing = false">Cancel</v-btn>
    </v-form>
  </div>
</template>

<style scoped>
form .v-input {
  min-width: 320px;
  flex: 0 1 420px;
}
form {
  flex-basis: 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
}
.notes {
  width: 360px;
}
</style>
