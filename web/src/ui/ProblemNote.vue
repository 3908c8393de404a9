<script setup lang="ts">
/** What went wrong, where it went wrong, and what can be done: buttons in the slot, and Try again where asked for. */
defineProps<{ error: Error | null | undefined; again?: boolean }>()
const emit = defineEmits<{ again: [] }>()
</script>

<template>
  <v-alert v-if="error" class="my-2 on-panel" border="start" border-color="hand" role="alert">
    {{ error.message }}
    <div v-if="again || $slots.default" class="d-flex flex-wrap ga-2 mt-2">
      <v-btn v-if="again" @click="emit('again')">Try again</v-btn>
      <slot />
    </div>
  </v-alert>
</template>
