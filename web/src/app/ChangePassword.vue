<script setup lang="ts">
/** One's own password. Every other browser is signed out with it. */
import { reactive, ref, watch } from 'vue'

import { answer, api, Problem } from './api/client'
import ProblemNote from '../ui/ProblemNote.vue'
import { useFirstFocus } from '../ui/useFirstFocus'

const open = defineModel<boolean>({ required: true })
const given = reactive({ old: '', password: '' })
const problem = ref<Problem | null>(null)
const saved = ref(false)
const focusFirst = useFirstFocus('first')
watch(open, () => {
  Object.assign(given, { old: '', password: '' })
  problem.value = null
})
async function change() {
  problem.value = null
  try {
    answer(await api.POST('/api/me/password', { body: given }))
    open.value = false
    saved.value = true
  } catch (caught) {
    if (!(caught instanceof Problem)) throw caught
    problem.value = caught
  }
}
</script>

<template>
  <v-dialog v-model="open" max-width="420" aria-label="Change password" @after-enter="focusFirst">
    <v-card class="pa-4">
      <v-form @submit.prevent="change">
        <h2>Change password</h2>
        <ProblemNote :error="problem" />
        <v-text-field
          ref="first"
          v-model="given.old"
          label="Present password"
          type="password"
          autocomplete="current-password"
          :error-messages="problem?.fields.old"
        />
        <v-text-field
          v-model="given.password"
          class="mt-7"
          label="New password, 10 characters or more"
          type="password"
          autocomplete="new-password"
          :error-messages="problem?.fields.password"
        />
        <p class="d-flex ga-2 mt-3">
          <v-btn type="submit" color="hand" variant="flat">Save password</v-btn>
          <v-btn variant="text" @click="open = false">Cancel</v-btn>
        </p>
      </v-form>
    </v-card>
  </v-dialog>
  <v-snackbar v-model="saved" location="bottom left">
    The password is changed; other browsers are signed out.
  </v-snackbar>
</template>
