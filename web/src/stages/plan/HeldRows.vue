<script setup lang="ts">
/** What is the same in every setup, row by row, and what else is held constant. */
defineProps<{ rows: { label: string; level: string }[]; also?: string }>()
</script>

<template>
  <dl v-if="rows.length || also">
    <template v-for="row in rows" :key="row.label">
      <dt class="quiet">{{ row.label }}</dt>
      <dd>{{ row.level }}</dd>
    </template>
    <template v-if="also">
      <dt class="quiet">Also</dt>
      <dd>{{ also }}</dd>
    </template>
  </dl>
  <p v-else class="text">Nothing entered.</p>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 2px 16px;
  margin: 0 0 12px;
}
dd {
  margin: 0;
}
</style>
