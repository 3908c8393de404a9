<script setup lang="ts">
/** That something is being looked for, with a name for who does not see it: the fields' own line has none. */
defineProps<{ active: boolean }>()
</script>

<template>
  <v-progress-linear :active="active" height="2" indeterminate aria-label="Loading" />
</template>
