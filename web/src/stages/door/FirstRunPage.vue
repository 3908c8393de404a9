<script setup lang="ts">
/** A new shop: what it is called, how it counts, and its first owner. Reached by the link that the terminal printed. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { reactive, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api, Problem } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import ShopFields from '../shop/ShopFields.vue'

const props = defineProps<{ linkKey: string }>()
const router = useRouter()
const queries = useQueryClient()
const { data: door, error: doorError } = useQuery({
  queryKey: ['door'],
  queryFn: async () => answer(await api.GET('/api/door')),
})
const SYSTEMS = [
  { value: 'inch', label: 'Inch and pound: lb-ft, hp, °F, inHg' },
  { value: 'metric', label: 'Metric: N·m, kW, °C, kPa' },
]
const given = reactive({
  shop_name: '',
  currency: 'USD',
  time_zone: '',
  units: 'inch',
  elevation: '',
  username: '',
  name: '',
  password: '',
})
watch(
  () => door.value?.time_zones,
  (zones) => {
    // The clock of whoever sets it up is nearly always the shop's.
    const here = Intl.DateTimeFormat().resolvedOptions().timeZone
    if (zones?.length && !given.time_zone) given.time_zone = zones.includes(here) ? here : 'UTC'
  },
  { immediate: true },
)
const problem = ref<Problem | null>(null)
const waiting = ref(false)
const wrong = (field: string) => problem.value?.fields[field]

async function setUp() {
  waiting.value = true
  problem.value = null
  try {
    const me = answer(await api.POST('/api/first-run', { body: { ...given, key: props.linkKey } }))
    queries.clear()
    queries.setQueryData(['me'], me)
    await router.replace('/')
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    problem.value = error
  } finally {
    waiting.value = false
  }
}
</script>

<template>
  <v-main>
    <v-form class="door wide" @submit.prevent="setUp">
      <h1>Set up your shop</h1>
      <ProblemNote :error="doorError ?? problem" />
      <p v-if="door && !door.is_new" class="text">
        This shop has an owner already.
        <router-link :to="{ name: 'sign-in' }">Sign in</router-link>
      </p>
      <template v-else>
        <h2>The shop</h2>
        <ShopFields
          :model-value="given"
          :choices="door"
          :wrong="wrong"
          @update:model-value="Object.assign(given, $event)"
        />
        <v-select
          v-model="given.units"
          label="Units to begin with"
          :items="SYSTEMS"
          :error-messages="wrong('units')"
        />
        <h2>You, its owner</h2>
        <v-text-field
          v-model="given.name"
          label="Full name"
          autocomplete="name"
          :error-messages="wrong('name')"
        />
        <div class="pair">
          <v-text-field
            v-model="given.username"
            label="Name to sign in with"
            autocomplete="username"
            :error-messages="wrong('username')"
          />
          <v-text-field
            v-model="given.password"
            label="Password, 10 characters or more"
            type="password"
            autocomplete="new-password"
            :error-messages="wrong('password')"
          />
        </div>
        <v-btn type="submit" color="hand" variant="flat" block :disabled="waiting">Create shop</v-btn>
      </template>
    </v-form>
  </v-main>
</template>
