<script setup lang="ts">
/** Archive or delete a line of a list. What was used is never deleted; the server says so in words. */
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'

import { answer, api } from '../app/api/client'
import { useArchive } from '../stages/shop/queries'
import { done } from '../app/undo'

const props = defineProps<{
  kind: 'part' | 'engine' | 'programme'
  id: number
  name: string
  archived: boolean
}>()
const emit = defineEmits<{ deleted: [] }>()
const queries = useQueryClient()
const archive = useArchive()
const problem = ref('')
const asking = ref(false)

async function attempt(act: () => Promise<void>) {
  problem.value = ''
  try {
    await act()
  } catch (error) {
    problem.value = (error as Error).message
  }
}
function set(archived: boolean) {
  const { kind, id, name } = props
  return attempt(async () => {
    await archive(kind, id, archived)
    done(`${name}: ${archived ? 'archived' : 'back in the list'}.`, () => archive(kind, id, !archived))
  })
}
const PATHS = {
  part: (id: number) => api.DELETE('/api/archive/parts/{part_id}', { params: { path: { part_id: id } } }),
  engine: (id: number) =>
    api.DELETE('/api/archive/engines/{engine_id}', { params: { path: { engine_id: id } } }),
  programme: (id: number) =>
    api.DELETE('/api/archive/programmes/{programme_id}', { params: { path: { programme_id: id } } }),
}
function remove() {
  asking.value = false
  return attempt(async () => {
    answer(await PATHS[props.kind](props.id))
    emit('deleted')
    await queries.invalidateQueries()
  })
}
</script>

<template>
  <span>
    <v-menu>
      <template #activator="{ props: activator }">
        <v-btn v-bind="activator" size="x-small" variant="text" :aria-label="`Archive or delete ${name}`"
          >⋯</v-btn
        >
      </template>
      <v-list density="compact">
        <slot />
        <v-list-item v-if="!archived" title="Archive" @click="set(true)" />
        <v-list-item v-else title="Restore" @click="set(false)" />
        <v-list-item title="Delete…" @click="asking = true" />
      </v-list>
    </v-menu>
    <v-dialog v-model="asking" max-width="420" :aria-label="`Delete ${name}`">
      <v-card class="pa-4">
        <h2>Delete {{ name }}?</h2>
        <p class="text">Only what was never used can be deleted, and it does not come back.</p>
        <p class="d-flex ga-2 mt-3">
          <v-btn color="hand" variant="flat" @click="remove">Delete</v-btn>
          <v-btn variant="text" @click="asking = false">Cancel</v-btn>
        </p>
      </v-card>
    </v-dialog>
    <v-snackbar :model-value="problem !== ''" location="bottom left" @update:model-value="problem = ''">
      {{ problem }}
    </v-snackbar>
  </span>
</template>
