<script setup lang="ts">
/** What went wrong, where it went wrong. */
defineProps<{ error: Error | null | undefined }>()
</script>

<template>
  <p v-if="error" class="problem" role="alert">{{ error.message }}</p>
</template>

<style scoped>
.problem {
  font-family: var(--text);
  font-size: 15px;
  line-height: 1.4;
  border-left: 4px solid var(--hand);
  background: var(--panel);
  padding: 8px 12px;
  margin: 8px 0;
}
</style>
