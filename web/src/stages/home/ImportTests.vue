<script setup lang="ts">
/** Tests from a file: chosen here, looked into and imported in a dialog of that file alone. */
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import FileButton from '../../ui/FileButton.vue'
import ImportDialog from './ImportDialog.vue'

const chosen = ref<File | Schema['UploadOut'] | null>(null)
/** Opened in a window that was closed since. */
const { data: brought, refetch } = useQuery({
  queryKey: ['archives'],
  queryFn: async () => answer(await api.GET('/api/archives')),
})
const LONGEST = 24
const shortened = (name: string) => (name.length > LONGEST ? `${name.slice(0, LONGEST)}…` : name)
function close() {
  chosen.value = null
  void refetch()
}
</script>

<template>
  <span class="ml-auto mr-3">
    <FileButton accept=".zip" label="Tests in one file" @chosen="([file]) => (chosen = file ?? null)">
      Import tests…
    </FileButton>
    <v-btn v-if="brought?.length && !chosen" class="ml-2" @click="chosen = brought[0]!">
      Continue with {{ shortened(brought[0]!.name) }}
    </v-btn>
    <ImportDialog v-if="chosen" :file="chosen" @close="close" />
  </span>
</template>
