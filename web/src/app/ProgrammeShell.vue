<script setup lang="ts">
/** Rail, top bar and running ribbon round every screen of a test. */
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useDisplay } from 'vuetify'

import { judgedQuery } from '../stages/verdict/choice'
import { day as dateOf, figure } from '../ui/figures'
import type { Schema } from './api/client'
import { useOthersPulls } from './api/queries'
import AppShell from './AppShell.vue'
import { type Day, type Programme, provideFrame } from './frame'
import { useKeys } from './keys'
import PersonMenu from './PersonMenu.vue'
import RunningRibbon from './RunningRibbon.vue'
import StandardMenu from './StandardMenu.vue'
import { useTitle } from './useTitle'

const props = defineProps<{ programme: Programme; day: Day; me: Schema['Me'] }>()
const route = useRoute()
const router = useRouter()
const { xs, mdAndUp } = useDisplay()
provideFrame(
  computed(() => props.programme),
  computed(() => props.day),
  computed(() => props.me.may_operate),
)
useOthersPulls(() => props.day)

const accepted = computed(() => props.day.pulls.filter((pull) => pull.standing === 'accepted').length)
const session = computed(() => (props.day.session && !props.day.session.closed_at ? 'open' : 'closed'))
const planned = computed(() => {
  const left = props.day.planned.reduce((sum, step) => sum + step.pulls, 0)
  return left ? `${left} to pull` : 'done'
})
/** A stage and the screens that belong to it. */
const STAGES = [
  { name: 'engine', label: 'Engine', holds: ['engine'] },
  { name: 'plan', label: 'Plan', holds: ['plan', 'change-plan'] },
  { name: 'stand', label: 'Dyno', holds: ['stand'] },
  { name: 'pulls', label: 'Pulls', holds: ['pulls', 'import', 'figures', 'pull'] },
  { name: 'curves', label: 'Curves', holds: ['curves'] },
  { name: 'verdict', label: 'Verdict', holds: ['verdict'] },
  { name: 'sheet', label: 'Report', holds: ['sheet'] },
]
const states = computed<Record<string, string>>(() => ({
  engine: props.programme.build,
  plan: planned.value,
  stand: session.value,
  pulls: String(props.day.pulls.length),
  curves: `${accepted.value} accepted`,
  verdict: `${props.programme.setups.length} setups`,
  sheet: 'to issue',
}))
/** Only what is judged goes along, and by which standard: the stages that read it say the same. */
const shared = computed(() => judgedQuery(route.query))
const places = computed(() =>
  STAGES.map(({ name, label, holds }) => ({
    name,
    label,
    to: { name, query: shared.value },
    here: holds.includes(String(route.name)),
    state: states.value[name],
  })),
)
const here = computed(
  () => places.value.find((place) => place.here)?.label ?? (route.name === 'programme-air' ? 'Air' : ''),
)
useTitle(() => `${here.value}: ${props.programme.question}`)
useKeys(
  [...STAGES.map(({ name, label }) => ({ name, label })), { name: 'programme-air', label: 'Air' }].map(
    ({ name, label }, index) => ({
      key: String(index + 1),
      label: String(index + 1),
      does: `Go to ${label.toLowerCase()}`,
      press: () => void router.push({ name, query: shared.value }),
    }),
  ),
)
</script>

<template>
  <AppShell label="Stages" :places="places" :width="88">
    <template #name>Tx</template>
    <template #bar>
      <nav class="d-flex align-center ga-2 min-w-0" aria-label="Where this is">
        <router-link v-if="!xs" to="/" class="quiet">Tests</router-link>
        <span v-if="!xs" class="quiet" aria-hidden="true">/</span>
        <h1 class="size-13 text-truncate" :title="programme.question">{{ programme.question }}</h1>
        <span class="quiet" aria-hidden="true">/</span>
        <span aria-current="page">{{ here }}</span>
      </nav>
      <span v-if="mdAndUp" class="quiet text-truncate">{{ programme.engine }}, {{ programme.build }}</span>
      <span class="ml-auto flex-0-0"><StandardMenu /></span>
      <router-link
        v-if="mdAndUp"
        :to="{ name: 'programme-air', query: shared }"
        class="text-decoration-none text-no-wrap flex-0-0"
        :title="day.air ? `Density altitude ${figure(day.air.density_altitude_ft, 0)} ft` : 'Weather log'"
      >
        <span class="quiet">Air&nbsp;</span>
        <template v-if="day.air">
          {{ figure(day.air.pressure, day.air.pressure_unit === 'inHg' ? 2 : 1) }}
          {{ day.air.pressure_unit }} · {{ figure(day.air.temperature) }} {{ day.air.temperature_unit }} ·
          {{ figure(day.air.relative_humidity_percent, 0) }} %
        </template>
        <template v-else>none yet</template>
      </router-link>
      <PersonMenu class="flex-0-0" />
    </template>
    <template #under>
      <p v-if="programme.from_file_at" class="px-4 pt-2" data-test="from-file">
        <span class="hand-note small">
          Read from a file on {{ dateOf(programme.from_file_at) }}; origins and authors are according to it
        </span>
      </p>
      <RunningRibbon />
    </template>
    <router-view />
  </AppShell>
</template>
