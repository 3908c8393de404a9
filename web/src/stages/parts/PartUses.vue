<script setup lang="ts">
/** Where a part was used before, and how its setup did against the one without it. */
import { computed } from 'vue'

import { figure, signed } from '../../ui/figures'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { useUses } from './useParts'
import { undividedWords } from '../verdict/words'

const props = defineProps<{ id: number }>()
const { data: uses } = useUses(() => props.id)
/** As many as an overlay holds, the newest. */
const MOST = 8
const pulled = computed(() => (uses.value ?? []).filter((use) => use.torque !== null).slice(0, MOST))
</script>

<template>
  <section>
    <h2>Where it was used, and how it did</h2>
    <v-btn
      v-if="pulled.length > 1"
      :to="{ name: 'overlay', query: { items: pulled.map((use) => `s${use.setup_id}`).join(',') } }"
      class="mb-2"
      >Overlay
      {{ pulled.length === uses?.length ? 'these curves' : `the newest ${pulled.length} curves` }}</v-btn
    >
    <p v-if="uses && !uses.length" class="quiet">Not yet.</p>
    <ul v-else data-test="uses">
      <li v-for="use in uses" :key="use.setup_id">
        <SetupMark :position="use.position" :size="18" />
        <router-link :to="{ name: 'verdict', params: { id: use.programme_id } }">{{
          use.question
        }}</router-link>
        <span class="quiet">&nbsp;{{ use.engine }}</span>
        <div v-if="use.torque !== null">
          {{ figure(use.torque) }} {{ use.torque_unit }} on average from {{ figure(use.low_rpm, 0) }} to
          {{ figure(use.high_rpm, 0) }} rpm, {{ use.pulls }} {{ use.pulls === 1 ? 'pull' : 'pulls' }}.
          <template v-if="use.is_baseline">It was the baseline.</template>
          <template v-else-if="use.percent !== null">
            {{ signed(use.percent) }} % to {{ use.against }} ({{ signed(use.low_percent) }} to
            {{ signed(use.high_percent) }}){{
              undividedWords(use.state) && `: ${undividedWords(use.state)}`
            }}.
          </template>
          <template v-if="use.made_of">These are {{ use.made_of }}. </template>
          <template v-if="use.other_changes">
            Not alone: {{ use.other_changes }} other
            {{ use.other_changes === 1 ? 'part' : 'parts' }} differed, too.
          </template>
        </div>
        <div v-else class="quiet">{{ use.why_not || 'No accepted pull yet.' }}</div>
      </li>
    </ul>
  </section>
</template>

<style scoped>
section {
  margin-bottom: 22px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  padding: 6px 0;
  border-bottom: 1px solid var(--line);
  font-family: var(--text);
  font-size: 15px;
  line-height: 1.4;
}
</style>
