<script setup lang="ts">
/** A new programme, from nothing. */
import { useRouter } from 'vue-router'

import PlanEditor from './PlanEditor.vue'

const router = useRouter()
</script>

<template>
  <div>
    <h1 class="title">New test</h1>
    <PlanEditor
      :programme="null"
      @saved="(id) => router.push({ name: 'plan', params: { id } })"
      @leave="router.push({ name: 'programmes' })"
    />
  </div>
</template>

<style scoped>
h1.page {
  padding: 14px 18px 4px;
}
</style>
