<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api } from '../api/client'
import { useAction, useMe } from '../api/queries'

const KINDS: Record<string, string> = {
  torque: 'Torque',
  power: 'Power',
  temperature: 'Temperature',
  air_pressure: 'Air pressure',
  oil_pressure: 'Oil pressure',
  mass_flow: 'Mass flow',
}
const router = useRouter()
const queries = useQueryClient()
const { data: me } = useMe()
const units = useAction(async (chosen: Record<string, string>) =>
  answer(await api.PATCH('/api/me/units', { body: chosen })),
)
const summary = computed(() => (me.value ? `${me.value.units.torque} · ${me.value.units.power}` : ''))

async function signOut() {
  answer(await api.POST('/api/sign-out'))
  queries.clear()
  await router.replace({ name: 'sign-in' })
}
</script>

<template>
  <div v-if="me">
    <v-menu :close-on-content-click="false" location="bottom end">
      <template #activator="{ props: activator }">
        <button v-bind="activator" type="button" class="person" aria-label="Units and sign-out">
          {{ summary }} <span class="quiet">{{ me.name }}</span>
        </button>
      </template>
      <v-card class="pa-4" width="300">
        <h2>{{ me.name }}, {{ me.role.toLowerCase() }}</h2>
        <fieldset v-for="(choices, kind) in me.unit_choices" :key="kind">
          <legend class="quiet">{{ KINDS[kind] ?? kind }}</legend>
          <button
            v-for="unit in choices"
            :key="unit"
            type="button"
            :aria-pressed="me.units[kind] === unit"
            @click="units.mutate({ [kind]: unit })"
          >
            {{ unit }}
          </button>
        </fieldset>
        <v-btn block class="mt-4" @click="signOut">Sign out</v-btn>
      </v-card>
    </v-menu>
  </div>
</template>

<style scoped>
.person {
  white-space: nowrap;
}
fieldset {
  border: 0;
  border-bottom: 1px solid var(--line);
  padding: 4px 0;
  display: flex;
  align-items: baseline;
  gap: 4px;
}
legend {
  float: left;
  width: 110px;
}
fieldset button {
  padding: 3px 8px;
}
fieldset button[aria-pressed='true'] {
  background: var(--ink);
  color: var(--panel);
}
</style>
