<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, api, Problem } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useFirstFocus } from '../../ui/useFirstFocus'
import { unsavedIsOf } from '../../ui/useUnsaved'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const username = ref('')
const password = ref('')
const problem = ref<Problem | null>(null)
const waiting = ref(false)
const { data: door } = useQuery({
  queryKey: ['door'],
  queryFn: async () => answer(await api.GET('/api/door')),
})
useFirstFocus('first')

async function signIn() {
  waiting.value = true
  problem.value = null
  try {
    const body = { username: username.value, password: password.value }
    const me = answer(await api.POST('/api/sign-in', { body }))
    unsavedIsOf(me.username)
    queries.clear()
    queries.setQueryData(['me'], me)
    const next = route.query.next
    // Only addresses of our own: never follow a link to somewhere else after signing in.
    const ours = typeof next === 'string' && next.startsWith('/') && !next.startsWith('//')
    await router.replace(ours ? next : '/')
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    problem.value = error
  } finally {
    waiting.value = false
  }
}
</script>

<template>
  <v-main class="page">
    <v-form class="door" @submit.prevent="signIn">
      <h1>Torvix</h1>
      <p class="text quiet">Back-to-back engine tests: plan, pull, compare, decide.</p>
      <p v-if="door?.is_new" class="text" role="status">
        This shop has no owner yet. Open the link that Torvix printed in its terminal.
      </p>
      <v-text-field ref="first" v-model="username" label="Name" autocomplete="username" />
      <v-text-field v-model="password" label="Password" type="password" autocomplete="current-password" />
      <ProblemNote :error="problem" />
      <v-btn type="submit" color="hand" variant="flat" block :disabled="waiting || !username || !password"
        >Sign in</v-btn
      >
    </v-form>
  </v-main>
</template>
