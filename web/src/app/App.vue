<script setup lang="ts">
import { useIsFetching, useQueryClient } from '@tanstack/vue-query'
import { useEventListener, useOnline } from '@vueuse/core'
import { onScopeDispose, ref, watchEffect } from 'vue'
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
const online = useOnline()
/** A script of this version is not on the server any more: it was updated while this window was open. */
const outdated = ref(false)
useEventListener(window, 'vite:preloadError', (event) => {
  event.preventDefault()
  outdated.value = true
})
const reload = () => window.location.reload()

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
    <v-system-bar v-if="!online || outdated" height="36" color="hand" class="px-4 size-13" role="alert">
      <template v-if="outdated">
        A new version of Torvix is installed; this window has the one before.
        <v-btn class="ml-3" size="small" @click="reload">Reload</v-btn>
      </template>
      <template v-else>
        Offline: what is shown may be old, and nothing can be saved. What you type stays here.
      </template>
    </v-system-bar>
    <router-view />
    <DoneQueue />
  </v-app>
</template>
