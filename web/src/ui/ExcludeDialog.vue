<script setup lang="ts">
/** Asks why a pull is excluded, and excludes it. */
import { useTemplateRef } from 'vue'

import { answer, api } from '../app/api/client'
import { useAction } from '../app/api/queries'
import ReasonDialog from './ReasonDialog.vue'

const props = defineProps<{ pull: { id: number; number: number } }>()
const emit = defineEmits<{ done: [] }>()
const asked = useTemplateRef<{ forget: () => void }>('asked')
const exclude = useAction(async (reason: string) =>
  answer(
    await api.POST('/api/pulls/{pull_id}/exclude', {
      params: { path: { pull_id: props.pull.id } },
      body: { reason },
    }),
  ),
)

function send(reason: string) {
  exclude.mutate(reason, {
    onSuccess: () => {
      asked.value?.forget()
      emit('done')
    },
  })
}
</script>

<template>
  <ReasonDialog
    ref="asked"
    :title="`Exclude pull ${pull.number}`"
    what="It stays in the record with the reason, and can be included again."
    action="Exclude"
    :unsaved="`reason to exclude ${pull.id}`"
    :error="exclude.error.value"
    @send="send"
    @cancel="emit('done')"
  />
</template>
