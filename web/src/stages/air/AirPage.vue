<script setup lang="ts">
/** Air on paper, outside any programme. */
import AirReadings from './AirReadings.vue'
</script>

<template>
  <div class="page">
    <h1 class="page">Air and the standards</h1>
    <AirReadings />
  </div>
</template>

<style scoped>
.page {
  padding: 18px;
  max-width: 1220px;
}
h1 {
  font-size: 22px;
  margin-bottom: 14px;
}
</style>
