<script setup lang="ts">
/** A new test, from nothing. */
import { useRouter } from 'vue-router'

import PlanEditor from './PlanEditor.vue'

const router = useRouter()
</script>

<template>
  <div>
    <h1 class="title px-4 pt-3">New test</h1>
    <PlanEditor
      :programme="null"
      @saved="(id) => router.push({ name: 'plan', params: { id } })"
      @leave="router.push({ name: 'programmes' })"
    />
  </div>
</template>
