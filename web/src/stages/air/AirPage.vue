<script setup lang="ts">
/** Air on paper, outside any programme. */
import AirReadings from './AirReadings.vue'
</script>

<template>
  <div class="page pa-4 most-1180">
    <h1 class="title">Air and the standards</h1>
    <AirReadings unsaved="air readings" />
  </div>
</template>

<style scoped>
h1 {
  font-size: 22px;
  margin-bottom: 14px;
}
</style>
