<script setup lang="ts">
/** A button that asks for files; `chosen` gives them, and the same file can be chosen again. */
import { useTemplateRef } from 'vue'

const props = defineProps<{
  /** Kinds of file, as the input's `accept`. */
  accept?: string
  /** For those who hear it, where the words on the button do not say it. */
  label?: string
  disabled?: boolean
  loading?: boolean
  /** Ask the camera of a phone first. */
  camera?: boolean
}>()
const emit = defineEmits<{ chosen: [files: File[]] }>()
const field = useTemplateRef<HTMLInputElement>('field')

function take(event: Event) {
  const input = event.target as HTMLInputElement
  const files = [...(input.files ?? [])]
  input.value = ''
  if (files.length) emit('chosen', files)
}
</script>

<template>
  <v-btn :disabled="disabled" :loading="loading" @click="field?.click()">
    <slot />
  </v-btn>
  <input
    ref="field"
    class="visually-hidden"
    type="file"
    :tabindex="-1"
    :accept="props.accept"
    :aria-label="label"
    :disabled="disabled"
    :capture="camera ? 'environment' : undefined"
    @change="take"
  />
</template>
