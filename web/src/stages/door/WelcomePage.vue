<script setup lang="ts">
/** Somebody new, or with a password that was reset, chooses one: the link is good once. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api, Problem } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useFirstFocus } from '../../ui/useFirstFocus'

const props = defineProps<{ coded: string; token: string }>()
const router = useRouter()
const queries = useQueryClient()
const path = computed(() => ({ coded: props.coded, token: props.token }))
const { data: invited, error } = useQuery({
  queryKey: computed(() => ['welcome', path.value] as const),
  queryFn: async ({ queryKey: [, path] }) =>
    answer(await api.GET('/api/welcome/{coded}/{token}', { params: { path } })),
})
const password = ref('')
useFirstFocus('first')
const problem = ref<Problem | null>(null)
const waiting = ref(false)

async function choose() {
  waiting.value = true
  problem.value = null
  try {
    const me = answer(
      await api.POST('/api/welcome/{coded}/{token}', {
        params: { path: path.value },
        body: { password: password.value },
      }),
    )
    queries.clear()
    queries.setQueryData(['me'], me)
    await router.replace('/')
  } catch (caught) {
    if (!(caught instanceof Problem)) throw caught
    problem.value = caught
  } finally {
    waiting.value = false
  }
}
</script>

<template>
  <v-main>
    <v-form class="door" @submit.prevent="choose">
      <h1>Welcome{{ invited ? `, ${invited.name}` : '' }}</h1>
      <ProblemNote :error="error ?? problem" />
      <template v-if="invited">
        <p class="text">
          Choose a password. You sign in as <strong>{{ invited.username }}</strong> from now on.
        </p>
        <!-- For the browser's own keeper of passwords. -->
        <input
          class="visually-hidden"
          autocomplete="username"
          :value="invited.username"
          readonly
          tabindex="-1"
          aria-hidden="true"
        />
        <v-text-field
          ref="first"
          v-model="password"
          label="Password, 10 characters or more"
          type="password"
          autocomplete="new-password"
          :error-messages="problem?.fields.password"
        />
        <v-btn type="submit" color="hand" variant="flat" block :disabled="waiting || !password"
          >Save password</v-btn
        >
      </template>
    </v-form>
  </v-main>
</template>
