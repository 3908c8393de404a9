<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { onScopeDispose, watchEffect } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { Problem } from './api/client'

const route = useRoute()
const router = useRouter()
const theme = useTheme()

watchEffect(() => theme.change(route.name === 'stand' ? 'stand' : 'daylight'))

// Signed out in another window, or the session ran out: ask to sign in, and come back here afterwards.
const queries = useQueryClient()
const stop = queries.getQueryCache().subscribe(({ query }) => {
  const error = query.state.error
  if (error instanceof Problem && error.code === 'signed_out' && route.name && route.name !== 'sign-in') {
    void router.replace({ name: 'sign-in', query: { next: route.fullPath } })
  }
})
onScopeDispose(stop)
</script>

<template>
  <v-app>
    <router-view />
  </v-app>
</template>
