<script setup lang="ts">
/** What each setup asks for next, and its manners: read before a decision. */
import { computed } from 'vue'

import { useFrame } from '../../app/frame'
import ProblemNote from '../../ui/ProblemNote.vue'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { useChoice } from './choice'
import { useKnockOn } from './queries'

const { programme, setup } = useFrame()
const { choice } = useChoice()
const { data, error } = useKnockOn(() => programme.value.id, choice)
const rows = computed(() => (data.value ?? []).filter((one) => one.needs.length || one.manners.length))
</script>

<template>
  <section data-test="knock-on" class="pt-3 mb-4">
    <h2>What each choice asks for next</h2>
    <ProblemNote :error="error" />
    <div v-for="row in rows" :key="row.setup_id" class="mb-2">
      <h3 class="d-flex ga-1 align-center ink size-16">
        <SetupMark :position="setup(row.setup_id).position" :size="18" /> {{ setup(row.setup_id).name }}
      </h3>
      <ul class="prose size-15 pl-4">
        <li v-for="line in row.needs" :key="line">{{ line }}</li>
        <li v-for="line in row.manners" :key="line">{{ line }}</li>
      </ul>
    </div>
    <p v-if="data && !rows.length" class="text quiet">
      Nothing that the build sheet and these pulls know of.
    </p>
  </section>
  <!-- What follows waits for it, as it would be pushed away under the finger. -->
  <slot v-if="data || error" />
</template>
