<script setup lang="ts">
/** Put the readings that were typed into the log of the session, with their time. */
import { ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import { fromTyped, toTyped } from '../../ui/typedTime'
import type { Readings } from './useAir'

const props = defineProps<{ session: Schema['SessionWeather']; readings: Readings; usable: boolean }>()
const time = ref(toTyped(new Date().toISOString()))
const message = ref('')
const log = useAction(async (at: string) =>
  answer(
    await api.POST('/api/sessions/{session_id}/weather', {
      params: { path: { session_id: props.session.session_id } },
      body: { ...props.readings, at },
    }),
  ),
)

function send() {
  const at = fromTyped(time.value)
  message.value = at ? '' : 'Say when it was read.'
  if (!at) return
  log.mutate(at, {
    onError: (caught) => {
      const fields = caught instanceof Problem ? Object.values(caught.fields) : []
      message.value = [caught.message, ...fields].join(' ')
    },
  })
}
</script>

<template>
  <div class="mt-3 d-grid ga-2 justify-items-start">
    <label>Read at <v-text-field v-model="time" type="datetime-local" aria-label="When it was read" /></label>
    <v-btn color="hand" variant="flat" :disabled="!usable || log.isPending.value" @click="send">
      Add to session log
    </v-btn>
    <p v-if="message" class="message ma-0" role="alert">{{ message }}</p>
    <p v-else-if="log.isSuccess.value" class="quiet">Logged.</p>
  </div>
</template>
