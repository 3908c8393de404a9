<script setup lang="ts">
/** The air of a programme: readings to factors, and the weather log of each session. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import AirReadings from './AirReadings.vue'
import LogReading from './LogReading.vue'
import WeatherLog from './WeatherLog.vue'
import { answer, api } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useFrame } from '../../app/frame'

const { programme, mayOperate } = useFrame()
const { data: log, error } = useQuery({
  queryKey: computed(() => ['weather', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/weather', { params: { path: { programme_id } } })),
})
const latest = computed(() => log.value?.sessions[0])
</script>

<template>
  <div class="page pa-4 most-1180">
    <ProblemNote :error="error" />
    <AirReadings
      v-if="log"
      :unsaved="`air readings of ${programme.id}`"
      :elevation="latest?.elevation"
      :in-force="programme.standard.id"
    >
      <template #below="{ readings, usable }">
        <LogReading v-if="latest && mayOperate" :session="latest" :readings="readings" :usable="usable" />
      </template>
    </AirReadings>
    <p v-if="log && !log.sessions.length" class="text">
      No session yet, so no weather log. Open a session at the dyno.
      <router-link :to="{ name: 'stand' }">Go to the dyno</router-link>
    </p>
    <WeatherLog
      v-for="session in log?.sessions"
      :key="session.session_id"
      :session="session"
      :may-operate="mayOperate"
    />
  </div>
</template>
