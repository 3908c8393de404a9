<script setup lang="ts">
/** A test from a file: what it brings is shown, and asked about, before anything is written. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { type Schema, upload } from '../../app/api/client'
import { refresh } from '../../app/api/queries'
import FileButton from '../../ui/FileButton.vue'
import ProblemNote from '../../ui/ProblemNote.vue'

const router = useRouter()
const queries = useQueryClient()
const file = ref<File | null>(null)
const found = ref<Schema['BringingOut'] | null>(null)
const question = ref('')
const linking = ref(true)
const working = ref(false)
const problem = ref<Error | null>(null)
const same = computed(() => (found.value?.parts ?? []).filter((part) => part.same))
const others = computed(() => (found.value?.parts ?? []).filter((part) => part.here && !part.same))
const fresh = computed(() => (found.value?.parts ?? []).filter((part) => !part.here))

async function attempt(act: () => Promise<void>) {
  working.value = true
  problem.value = null
  try {
    await act()
  } catch (caught) {
    problem.value = caught as Error
  }
  working.value = false
}
function choose([chosen]: File[]) {
  file.value = chosen!
  found.value = null
  void attempt(async () => {
    found.value = await upload<Schema['BringingOut']>('/api/archives/look', chosen!)
    question.value = found.value.question
  })
}
function bring() {
  void attempt(async () => {
    const words = { question: question.value, link_parts: String(linking.value) }
    const made = await upload<Schema['ReadBackOut']>('/api/archives', file.value!, words)
    await refresh(queries)
    await router.push({ name: 'pulls', params: { id: made.id } })
  })
}
function cancel() {
  file.value = null
  found.value = null
  problem.value = null
}
const names = (parts: { name: string }[]) => parts.map((part) => part.name).join(', ')
</script>

<template>
  <span class="ml-auto mr-3">
    <FileButton accept=".zip" label="Test in one file" :loading="working && !found" @chosen="choose">
      Import test…
    </FileButton>
    <v-dialog :model-value="file !== null" width="560" aria-label="Import test" @update:model-value="cancel">
      <v-card class="pa-4" data-test="import-test">
        <h2>Import {{ file?.name }}</h2>
        <ProblemNote :error="problem" />
        <p v-if="working && !found" class="text quiet" role="status">Reading…</p>
        <v-form v-if="found" @submit.prevent="bring">
          <v-text-field v-model="question" label="Question" autofocus />
          <p class="text">
            {{ found.pulls }} pulls, by whoever the file says. Its stands do not become yours.
          </p>
          <p class="text">
            Engine: {{ found.engine
            }}{{ found.engine_here ? ', of which this shop has one: the file’s gets another name.' : '.' }}
          </p>
          <p v-if="fresh.length" class="text">New parts: {{ names(fresh) }}.</p>
          <p v-if="others.length" class="text">
            Of the same name as yours, but not the same: {{ names(others) }}. The file’s get another name.
          </p>
          <v-checkbox
            v-if="same.length"
            v-model="linking"
            density="compact"
            hide-details
            :label="`Use your own, the same in every value: ${names(same)}`"
          />
          <p class="d-flex ga-2 mt-3">
            <v-btn type="submit" color="hand" variant="flat" :disabled="working || !question.trim()"
              >Import test</v-btn
            >
            <v-btn variant="text" @click="cancel">Cancel</v-btn>
          </p>
        </v-form>
        <v-btn v-else-if="problem" variant="text" @click="cancel">Close</v-btn>
      </v-card>
    </v-dialog>
  </span>
</template>
