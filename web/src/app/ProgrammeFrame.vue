<script setup lang="ts">
import { computed } from 'vue'

import { Problem } from './api/client'
import { useDay, useMe, useProgramme } from './api/queries'
import KeyHelp from './KeyHelp.vue'
import ProblemNote from '../ui/ProblemNote.vue'
import ProgrammeShell from './ProgrammeShell.vue'

const props = defineProps<{ id: number }>()
const { data: programme, error: programmeError } = useProgramme(() => props.id)
const { data: day, error: dayError } = useDay(() => props.id)
const { data: me } = useMe()
const error = computed(() => programmeError.value ?? dayError.value)
/** No right to see it any more, or never: what was fetched before is not shown on. */
const gone = computed(() => error.value instanceof Problem && [403, 404].includes(error.value.status))
</script>

<template>
  <ProgrammeShell v-if="programme && day && me && !gone" :programme="programme" :day="day" :me="me" />
  <v-main v-else>
    <div class="waiting most-480 py-0 px-5">
      <template v-if="error">
        <ProblemNote :error="error" />
        <v-btn to="/">All tests</v-btn>
      </template>
      <v-skeleton-loader v-else type="heading, paragraph" aria-label="Loading the test" />
    </div>
  </v-main>
  <KeyHelp />
</template>

<style scoped>
.waiting {
  margin: 16vh auto 0;
}
</style>
