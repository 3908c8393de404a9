<script setup lang="ts">
/** Ask why a pull is left out, and leave it out. */
import { computed } from 'vue'

import { answer, api, Problem } from '../app/api/client'
import { useAction } from '../app/api/queries'
import { useFirstFocus } from './useFirstFocus'
import { useKept } from './useKept'

const props = defineProps<{ pull: { id: number; number: number } }>()
const emit = defineEmits<{ done: [] }>()
useFirstFocus('first')
const reason = useKept(`reason to exclude ${props.pull.id}`, '')
const exclude = useAction(async (text: string) =>
  answer(
    await api.POST('/api/pulls/{pull_id}/exclude', {
      params: { path: { pull_id: props.pull.id } },
      body: { reason: text },
    }),
  ),
)
const message = computed(() => {
  const error = exclude.error.value
  return error instanceof Problem ? (error.fields.reason ?? error.message) : ''
})

function send() {
  exclude.mutate(reason.value, {
    onSuccess: () => {
      reason.value = ''
      emit('done')
    },
  })
}
</script>

<template>
  <v-dialog :model-value="true" max-width="460" @update:model-value="emit('done')">
    <v-card class="pa-5">
      <v-form @submit.prevent="send">
        <h1 class="mb-3">Exclude pull {{ pull.number }}</h1>
        <p class="text quiet mb-3">It stays in the record with the reason, and can be included again.</p>
        <v-text-field ref="first" v-model="reason" label="Reason" :error-messages="message" />
        <div class="buttons d-flex ga-2 mt-4">
          <v-btn type="submit" color="hand" variant="flat">Exclude</v-btn>
          <v-btn @click="emit('done')">Cancel</v-btn>
        </div>
      </v-form>
    </v-card>
  </v-dialog>
</template>
