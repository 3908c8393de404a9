<script setup lang="ts">
/** Parts against levels: who leads at each level, what each part costs there, and what is empty. */
import { computed } from 'vue'

import type { Schema } from '../../../app/api/client'
import { useFrame } from '../../../app/frame'
import { figure, money, signed } from '../../../ui/figures'
import SetupMark from '../../../ui/setups/SetupMark.vue'
import { undividedWords } from '../words'

const props = defineProps<{ regimes: Schema['RegimesOut'] }>()
const { programme, setup } = useFrame()

interface Cell {
  setupId: number | null
  place: Schema['LevelPlaceOut'] | null
  alone: boolean
}
const rows = computed(() =>
  props.regimes.parts.map((part, row) => ({
    name: part.name,
    cells: part.setup_ids.map((setupId, level): Cell => {
      const places = props.regimes.rankings.find((one) => one.level === level)?.places ?? []
      const leading = places.filter((one) => one.with_the_best)
      return {
        setupId,
        place: places.find((one) => one.part === row) ?? null,
        alone: leading.length === 1 && places.length > 1,
      }
    }),
  })),
)
</script>

<template>
  <v-table class="figures grid-ranking" data-test="grid-ranking">
    <thead>
      <tr>
        <th class="words">{{ regimes.part_label }}</th>
        <th v-for="level in regimes.levels" :key="level">
          {{ level }}<br /><span class="quiet">{{ regimes.score_unit }}, to the best there</span>
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.name">
        <th class="words" scope="row">{{ row.name }}</th>
        <td v-for="(cell, level) in row.cells" :key="level">
          <template v-if="cell.setupId === null">
            <span class="quiet">empty</span>
            <RouterLink
              class="d-block small"
              :to="{ name: 'change-plan', params: { id: programme.id } }"
              :aria-label="`Add ${row.name} at ${regimes.levels[level]} to the plan`"
              >Add to the plan</RouterLink
            >
          </template>
          <span v-else-if="!cell.place" class="quiet">
            <SetupMark :position="setup(cell.setupId).position" :size="18" hollow /> no accepted pull
          </span>
          <template v-else>
            <SetupMark :position="setup(cell.setupId).position" :size="18" />
            {{ figure(cell.place.score) }}
            <div v-if="!cell.place.to_best" class="small">
              <strong v-if="cell.alone">best here</strong>
              <span v-else class="quiet">{{ cell.place.with_the_best ? 'highest' : 'not comparable' }}</span>
            </div>
            <div v-else class="small">
              {{ signed(cell.place.to_best.percent, 2) }} ±
              {{ figure((cell.place.to_best.high_percent - cell.place.to_best.low_percent) / 2, 2) }} %
              <span class="quiet">{{ undividedWords(cell.place.to_best.state) }}</span>
            </div>
            <div v-if="cell.place.cost" class="small quiet">parts {{ money(cell.place.cost) }}</div>
          </template>
        </td>
      </tr>
    </tbody>
  </v-table>
  <p v-for="effect in regimes.effects" :key="`${effect.one} ${effect.other}`" class="text effect">
    {{ effect.sentence }}
  </p>
  <p v-if="regimes.empty.length" class="text quiet effect">
    Empty: {{ regimes.empty.join('; ') }}. Until it is run, nothing is said of it.
  </p>
</template>

<style scoped>
.grid-ranking td {
  white-space: nowrap;
}
.effect {
  margin: 6px 0 0;
}
</style>
