<script setup lang="ts">
/** Seen, heard, smelt, measured: notes beside the pulls, with photographs; failed starts, too. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, useTemplateRef } from 'vue'

import { answer, api, type Schema, upload } from '../../app/api/client'
import { useMe } from '../../app/api/queries'
import { clock } from '../../ui/figures'
import FileButton from '../../ui/FileButton.vue'
import { useKeys } from '../../app/keys'
import { done } from '../../app/undo'
import { saidOf } from './useSession'
import { choicesOf } from '../../ui/choices'
import { useUnsaved } from '../../ui/useUnsaved'

const props = defineProps<{
  programme: number
  session: number | null
  pull: { id: number; number: number } | null
  mayOperate: boolean
}>()
const queries = useQueryClient()
const { data: me } = useMe()
const key = computed(() => ['notes', props.programme] as const)
const { data } = useQuery({
  queryKey: key,
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/notes', { params: { path: { programme_id } } })),
})
const kind = ref('heard')
const text = useUnsaved(`note of ${props.programme}`, '')
const message = ref('')
const newest = computed(() => [...(data.value?.notes ?? [])].reverse())

async function take(asked: Promise<Schema['NotesOut']>) {
  try {
    await queries.cancelQueries({ queryKey: key.value })
    queries.setQueryData(key.value, await asked)
    void queries.invalidateQueries({ queryKey: ['next'] }) // a failed start makes lines of the list due
    text.value = message.value = ''
  } catch (caught) {
    message.value = saidOf(caught)
  }
}
const write = () =>
  take(
    api
      .POST('/api/sessions/{session_id}/notes', {
        params: { path: { session_id: props.session! } },
        body: { kind: kind.value, text: text.value, pull_id: props.pull?.id ?? null },
      })
      .then(answer),
  )
function photograph([file]: File[]) {
  const words: Record<string, string> = { text: text.value, kind: kind.value }
  if (props.pull) words.pull_id = String(props.pull.id)
  void take(upload<Schema['NotesOut']>(`/api/sessions/${props.session}/photos`, file!, words))
}
const setArchived = (note_id: number, archived: boolean) =>
  take(
    api
      .PUT('/api/notes/{note_id}/archived', { params: { path: { note_id } }, body: { archived } })
      .then(answer),
  )
async function putAside(note: number) {
  await setArchived(note, true)
  done('The note is archived.', () => setArchived(note, false))
}
const field = useTemplateRef<{ focus: () => void }>('field')
useKeys([{ key: 'n', label: 'N', does: 'Write a note', press: () => field.value?.focus() }])
</script>

<template>
  <section class="mt-3" data-test="notes" aria-label="Notes">
    <v-form
      v-if="mayOperate && session !== null"
      class="d-flex flex-wrap ga-2 align-center"
      @submit.prevent="write"
    >
      <v-select v-model="kind" aria-label="What was noticed" :items="choicesOf(data?.kinds)" />
      <v-text-field
        ref="field"
        v-model="text"
        :placeholder="pull ? `of pull ${pull.number}` : 'in a few words'"
        aria-label="Note"
      />
      <v-btn type="submit">Add note</v-btn>
      <FileButton
        accept="image/jpeg,image/png,image/webp"
        label="Photograph for the notes"
        camera
        @chosen="photograph"
      >
        Photograph…
      </FileButton>
    </v-form>
    <p v-if="message" class="message" role="alert">{{ message }}</p>
    <ol v-if="newest.length">
      <li v-for="note in newest.slice(0, 6)" :key="note.id">
        <a v-if="note.width" :href="`/api/notes/${note.id}/photo`" target="_blank" rel="noopener">
          <img :src="`/api/notes/${note.id}/photo`" :alt="note.text || note.label" loading="lazy" />
        </a>
        <span>
          {{ note.label }}<template v-if="note.text">: {{ note.text }}</template>
          <span class="quiet ml-2">
            {{ note.pull ? `pull ${note.pull}, ` : '' }}{{ note.by ? `${note.by}, ` : ''
            }}{{ clock(note.at) }}
          </span>
          <v-btn
            v-if="mayOperate && note.by_username === me?.username"
            size="x-small"
            variant="text"
            :aria-label="`Archive the note of ${clock(note.at)}`"
            @click="putAside(note.id)"
          >
            Archive
          </v-btn>
        </span>
      </li>
    </ol>
  </section>
</template>

<style scoped>
img {
  width: 72px;
  height: 54px;
  object-fit: cover;
}
</style>
