<script setup lang="ts">
/** The plan of a programme, changed. */
import { useRouter } from 'vue-router'

import PlanEditor from './PlanEditor.vue'
import { useFrame } from '../../app/frame'

const { programme } = useFrame()
const router = useRouter()
const back = () => router.push({ name: 'plan' })
</script>

<template>
  <PlanEditor :programme="programme.id" @saved="back" @leave="back" />
</template>
