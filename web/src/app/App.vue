<script setup lang="ts">
import { useIsFetching, useQueryClient } from '@tanstack/vue-query'
import { onScopeDispose, watchEffect } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { Problem, type Schema } from './api/client'
import DoneQueue from './DoneQueue.vue'
import { setShop } from '../ui/figures'

const route = useRoute()
const router = useRouter()
const theme = useTheme()

watchEffect(() => void theme.change(route.name === 'stand' ? 'stand' : 'daylight'))

const asking = useIsFetching()

// Signed out in another window, or the session ran out: ask to sign in, and come back here afterwards.
const queries = useQueryClient()
// Several questions fail at once; one way to the door is enough, and a second would begin it anew.
let leaving = false
const stop = queries.getQueryCache().subscribe(({ query }) => {
  if (query.queryKey[0] === 'me' && query.state.data) {
    const me = query.state.data as Schema['Me']
    setShop(me.time_zone, me.currency)
  }
  const error = query.state.error
  const isInside = route.name && !route.meta.outside
  if (error instanceof Problem && error.code === 'signed_out' && isInside && !leaving) {
    leaving = true
    void router.replace({ name: 'sign-in', query: { next: route.fullPath } }).finally(() => (leaving = false))
  }
})
onScopeDispose(stop)
</script>

<template>
  <v-app :aria-busy="asking > 0">
    <router-view />
    <DoneQueue />
  </v-app>
</template>
