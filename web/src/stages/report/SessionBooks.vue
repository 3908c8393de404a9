<script setup lang="ts">
/** Books of the test's sessions: every pull, kept or not, as page and PDF, frozen when they are issued. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { useFrame } from '../../app/frame'
import { clock, day } from '../../ui/figures'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useUnsaved } from '../../ui/useUnsaved'

const props = defineProps<{
  /** The book that is looked at; 0 for none. */
  shown: number
  showOwner: boolean
  interests: string
}>()
const emit = defineEmits<{ show: [book: number] }>()
const { programme, mayOperate } = useFrame()
const queries = useQueryClient()
const { data: sessions, error } = useQuery({
  queryKey: computed(() => ['books', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/books', { params: { path: { programme_id } } })),
})
const change = useUnsaved(`change of a book of ${programme.value.id}`, '')
const problem = ref<Error | null>(null)
const wrong = computed(() => (problem.value instanceof Problem ? problem.value.fields.change : undefined))
const hasAny = computed(() => sessions.value?.some((session) => session.books.length) ?? false)
const busy = ref(false)

async function issue(session_id: number) {
  busy.value = true
  problem.value = null
  try {
    const made = answer(
      await api.POST('/api/sessions/{session_id}/books', {
        params: { path: { session_id } },
        body: { show_owner: props.showOwner, interests: props.interests, change: change.value },
      }),
    )
    change.value = ''
    await queries.invalidateQueries({ queryKey: ['books', programme.value.id] })
    emit('show', made.id)
  } catch (caught) {
    problem.value = caught as Error
  }
  busy.value = false
}
</script>

<template>
  <section v-if="sessions?.length" class="mt-6" data-test="books">
    <h2>Session books</h2>
    <ProblemNote :error="error ?? (wrong ? null : problem)" />
    <p class="quiet prose size-15 mt-0">
      Every pull of a session, accepted or not, with air, tune, limits, notes and curve. A book is frozen; the
      owner's name and interests go by the choices of the report.
    </p>
    <v-text-field
      v-if="mayOperate && hasAny"
      v-model="change"
      label="What a further version changes"
      :error-messages="wrong"
    />
    <ol class="plain-list pa-0">
      <li v-for="session in sessions" :key="session.session_id" class="border-t py-2">
        {{ day(session.opened_at) }}, {{ session.stand }}
        <span class="quiet">{{ session.pulls === 1 ? '1 pull' : `${session.pulls} pulls` }}</span>
        <div v-for="book in session.books" :key="book.id" class="d-flex flex-wrap ga-2 align-center">
          <v-btn
            variant="text"
            class="px-0"
            :class="{ 'font-weight-bold': shown === book.id }"
            :aria-pressed="shown === book.id"
            @click="emit('show', book.id)"
            >Book, version {{ book.number }}</v-btn
          >
          <span class="quiet">{{ day(book.at) }} {{ clock(book.at) }}, {{ book.by }}</span>
          <a :href="`/api/books/${book.id}/book.pdf`" download>PDF</a>
          <span v-if="book.change" class="quiet">{{ book.change }}</span>
        </div>
        <v-btn
          v-if="mayOperate && session.closed_at"
          :disabled="busy"
          class="mt-1"
          @click="issue(session.session_id)"
          >Issue session book</v-btn
        >
        <span v-else-if="mayOperate" class="quiet">&nbsp;open: a book is issued once it is closed</span>
      </li>
    </ol>
  </section>
</template>
