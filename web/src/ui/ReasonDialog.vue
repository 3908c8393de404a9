<script setup lang="ts">
/** Asks why, before something is excluded or voided. What is typed outlives a dialog that was closed. */
import { computed } from 'vue'

import { Problem } from '../app/api/client'
import { useFirstFocus } from './useFirstFocus'
import { useUnsaved } from './useUnsaved'

const props = defineProps<{
  title: string
  /** What becomes of it. */
  what: string
  /** The words on the button. */
  action: string
  /** Under which name an unsaved reason is found again. */
  unsaved: string
  error: Error | null
}>()
const emit = defineEmits<{ send: [reason: string]; cancel: [] }>()
const focusFirst = useFirstFocus('first')
const reason = useUnsaved(props.unsaved, '')
const message = computed(() =>
  props.error instanceof Problem ? (props.error.fields.reason ?? props.error.message) : props.error?.message,
)
defineExpose({ forget: () => (reason.value = '') })
</script>

<template>
  <v-dialog
    :model-value="true"
    :aria-label="title"
    @after-enter="focusFirst"
    @update:model-value="emit('cancel')"
  >
    <v-card class="pa-5">
      <v-form @submit.prevent="emit('send', reason)">
        <h1 class="mb-3">{{ title }}</h1>
        <p class="text quiet mb-3">{{ what }}</p>
        <v-text-field ref="first" v-model="reason" label="Reason" :error-messages="message" />
        <div class="buttons d-flex ga-2 mt-4">
          <v-btn type="submit" color="hand" variant="flat">{{ action }}</v-btn>
          <v-btn @click="emit('cancel')">Cancel</v-btn>
        </div>
      </v-form>
    </v-card>
  </v-dialog>
</template>
