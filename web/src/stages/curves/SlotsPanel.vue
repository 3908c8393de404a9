<script setup lang="ts">
/** What each part is worth in its slot, with which partner, and what cannot be separated. */
import type { Schema } from '../../app/api/client'
import { figure, signed } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { undividedWords } from '../verdict/words'

defineProps<{ steps: Schema['StepwiseOut'] }>()
const { setup } = useFrame()
const WORDS: Record<string, string> = {
  direct: 'differ in nothing else',
  adding_up: 'assuming effects add',
  together: 'cannot be separated',
  no: 'not testable',
}
</script>

<template>
  <section>
    <v-table class="figures" data-test="slots">
      <thead>
        <tr>
          <th class="words">Slot</th>
          <th class="words">In place of</th>
          <th>Worth, %, 95 %</th>
          <th class="words">Evidence</th>
          <th class="words">With each partner, %</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in steps.slots" :key="`${one.slot} ${one.one} ${one.other}`">
          <td class="words">{{ one.slot }}</td>
          <td class="words">
            {{ one.other }}
            <div class="quiet">for {{ one.one }}</div>
          </td>
          <td>
            <template v-if="one.percent !== null">
              {{ signed(one.percent, 2) }} ± {{ figure((one.high_percent! - one.low_percent!) / 2, 2) }}
            </template>
            <template v-else>–</template>
          </td>
          <td class="words">
            {{ WORDS[one.standing] }}
            <div v-if="one.together.length" class="quiet">
              changed together with {{ one.together.join(', ') }}
            </div>
          </td>
          <td class="words">
            <div v-for="pair in one.pairs" :key="`${pair.one_id} ${pair.other_id}`">
              <SetupMark :position="setup(pair.one_id).position" :size="15" /> →
              <SetupMark :position="setup(pair.other_id).position" :size="15" />
              {{ signed(pair.percent, 2) }} ± {{ figure((pair.high_percent - pair.low_percent) / 2, 2) }}
              <span class="quiet">{{ undividedWords(pair.state) }}</span>
            </div>
            <span v-if="one.interacts" class="hand-note">depends on the partner</span>
          </td>
        </tr>
      </tbody>
    </v-table>
    <p v-if="!steps.slots.length" class="text quiet">
      The setups differ in no slot, or were run on days that nothing links.
    </p>
    <p v-else class="text quiet">{{ steps.notes[1] }}</p>
  </section>
</template>

<style scoped>
p {
  margin: 10px 0 0;
}
</style>
