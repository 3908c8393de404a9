<script setup lang="ts">
/** Where the restriction is: a hint with its reasons, and the evidence for and against each place. */
import type { Schema } from '../../app/api/client'
import { figure, signed } from '../../ui/figures'

defineProps<{ restriction: Schema['RestrictionOut'] }>()
const KINDS: Record<string, string> = { swap: 'Swap', channel: 'Channel', paper: 'On paper' }
const SIDES: Record<string, string> = { for: 'for', against: 'against', open: 'not decisive' }
</script>

<template>
  <section class="pt-3" data-test="restriction">
    <p v-for="sentence in restriction.sentences" :key="sentence" class="text sentence">{{ sentence }}</p>
    <v-table class="figures close" data-test="restriction-places">
      <caption class="text-left quiet">
        What freeing each place would give from
        {{
          figure(restriction.low_rpm, 0)
        }}
        to
        {{
          figure(restriction.high_rpm, 0)
        }}
        rpm, all its evidence together, 95 %
      </caption>
      <thead>
        <tr>
          <th class="words">Place</th>
          <th>Gain, %</th>
          <th class="words">Evidence</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="place in restriction.places" :key="place.place">
          <th class="words" scope="row">
            <strong v-if="place.named">{{ place.label }}</strong>
            <template v-else>{{ place.label }}</template>
          </th>
          <td class="text-no-wrap">
            {{ signed(place.percent) }}
            <div class="quiet small">{{ signed(place.low) }} to {{ signed(place.high) }}</div>
          </td>
          <td class="words">
            <div v-for="one in place.evidence" :key="one.sentence" class="prose size-15">
              <span class="quiet">{{ KINDS[one.kind] }}, {{ SIDES[one.side] }}:</span> {{ one.sentence }}
            </div>
            <span v-if="!place.evidence.length" class="quiet">
              untested: the figure is what such a place usually gives
            </span>
          </td>
        </tr>
      </tbody>
    </v-table>
    <p class="text quiet">
      A hint, not a certainty: swaps count most, channels and rules of thumb are rough.
    </p>
  </section>
</template>

<style scoped>
.sentence {
  margin: 0 0 6px;
}
</style>
