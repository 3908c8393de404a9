<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, defineAsyncComponent, ref } from 'vue'
import { useRouter } from 'vue-router'
import { useDisplay } from 'vuetify'

import { answer, api } from './api/client'
import { useAction, useMe } from './api/queries'
import { forgetUnsaved } from '../ui/useUnsaved'

const ChangePassword = defineAsyncComponent(() => import('./ChangePassword.vue'))
const KINDS: Record<string, string> = {
  torque: 'Torque',
  power: 'Power',
  temperature: 'Temperature',
  air_pressure: 'Air pressure',
  oil_pressure: 'Oil pressure',
  mass_flow: 'Mass flow',
  length: 'Length',
  volume: 'Volume',
  displacement: 'Displacement',
  area: 'Area',
  air_flow: 'Airflow',
  boost: 'Boost, mean pressure',
  vacuum: 'Vacuum',
  bench: 'Flow bench',
  velocity: 'Velocity',
  road_speed: 'Road speed',
  mass: 'Mass',
  inertia: 'Inertia',
  consumption: 'Consumption',
  specific_power: 'Specific output',
  elevation: 'Elevation',
}
const router = useRouter()
const { xs } = useDisplay()
const queries = useQueryClient()
const { data: me } = useMe()
const units = useAction(async (chosen: Record<string, string>) =>
  answer(await api.PATCH('/api/me/units', { body: chosen })),
)
/** Every figure at once in the units of one workshop or the other; single ones can be changed afterwards. */
const SETS: Record<string, string[]> = {
  'All metric': [
    'N·m',
    'kW',
    '°C',
    'kPa',
    'bar',
    'kg/h',
    'mm',
    'cm³',
    'L',
    'cm²',
    'm³/h',
    'm/s',
    'km/h',
    'kg',
    'kg·m²',
    'g/kWh',
    'kW/L',
    'm',
  ],
  'All inch and pound': [
    'lb-ft',
    'hp',
    '°F',
    'inHg',
    'psi',
    'lb/h',
    'in',
    'in³',
    'in²',
    'CFM',
    'inH2O',
    'ft/min',
    'mph',
    'lb',
    'lb·ft²',
    'lb/hp·h',
    'hp/in³',
    'ft',
  ],
}
function chooseAll(wanted: string[]) {
  const choices = Object.entries(me.value?.unit_choices ?? {})
  units.mutate(
    Object.fromEntries(
      choices.flatMap(([kind, known]) => {
        const found = known.find((unit) => wanted.includes(unit))
        return found ? [[kind, found]] : []
      }),
    ),
  )
}
const summary = computed(() => (me.value ? `${me.value.units.torque} · ${me.value.units.power}` : ''))

const changing = ref(false)
async function leave() {
  forgetUnsaved()
  queries.clear()
  await router.replace({ name: 'sign-in' })
}
async function signOut() {
  answer(await api.POST('/api/sign-out'))
  await leave()
}
async function signOutEverywhere() {
  answer(await api.POST('/api/me/sign-out-everywhere'))
  await leave()
}
</script>

<template>
  <div v-if="me">
    <v-menu :close-on-content-click="false" location="bottom end">
      <template #activator="{ props: activator }">
        <v-link v-bind="activator" class="text-no-wrap" aria-label="Units and sign-out">
          <template v-if="!xs">{{ summary }}&nbsp;&nbsp;</template><span class="quiet">{{ me.name }}</span>
        </v-link>
      </template>
      <v-card class="pa-4 units overflow-y-auto" max-width="420">
        <h2>{{ me.name }}, {{ me.role.toLowerCase() }}</h2>
        <p class="quiet pb-2">Who has this role {{ me.role_may }}.</p>
        <div class="d-flex ga-2 pb-1">
          <v-btn v-for="(wanted, label) in SETS" :key="label" @click="chooseAll(wanted)">{{ label }}</v-btn>
        </div>
        <div
          v-for="(choices, kind) in me.unit_choices"
          :key="kind"
          class="d-flex align-center ga-2 border-b py-1"
        >
          <span :id="`unit-${kind}`" class="quiet w-150">{{ KINDS[kind] ?? kind }}</span>
          <v-btn-toggle
            :aria-labelledby="`unit-${kind}`"
            :model-value="me.units[kind]"
            @update:model-value="units.mutate({ [kind]: $event })"
          >
            <v-btn v-for="unit in choices" :key="unit" size="small" :value="unit">{{ unit }}</v-btn>
          </v-btn-toggle>
        </div>
        <v-btn block class="mt-4" :to="{ name: 'background-work' }">Background work</v-btn>
        <v-btn block class="mt-2" @click="changing = true">Change password…</v-btn>
        <v-btn block class="mt-2" @click="signOut">Sign out</v-btn>
        <v-btn block class="mt-2" @click="signOutEverywhere">Sign out everywhere</v-btn>
      </v-card>
    </v-menu>
    <ChangePassword v-if="changing" v-model="changing" />
  </div>
</template>

<style scoped>
.units {
  max-height: 82vh;
}
</style>
