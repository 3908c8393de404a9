<script setup lang="ts">
/** What can be concluded from the setups, and which setup more would answer most. */
import type { PlanSummary } from './draft'
import TermTip from '../../ui/TermTip.vue'

defineProps<{
  concluded: Pick<PlanSummary, 'answers' | 'added' | 'addition' | 'copies' | 'derived' | 'grid'>
  mayAdd?: boolean
}>()
/** The setup that would help, by what it has in each row. */
const emit = defineEmits<{ add: [levels: Record<string, string>, name: string] }>()
const WORDS: Record<string, string> = {
  direct: 'answered',
  adding_up: 'answered, assuming effects add',
  together: 'only as a package',
  no: 'not answered',
}
</script>

<template>
  <div>
    <p v-if="concluded.addition" class="text flag hand-edge pl-2 mt-0 mb-2 mx-0">
      {{ concluded.addition }}
      <v-link v-if="mayAdd && concluded.added" @click="emit('add', concluded.added, 'To split the package')"
        >Add this setup</v-link
      >
    </p>
    <div v-if="concluded.grid" class="mb-2" data-test="grid">
      <p class="text ma-0">{{ concluded.grid.sentence }}</p>
      <p v-for="cell in concluded.grid.empty" :key="cell.name" class="text flag hand-edge pl-2 ma-0">
        Empty: {{ cell.name }}.
        <v-link
          v-if="mayAdd"
          :aria-label="`Add the setup ${cell.name}`"
          @click="emit('add', cell.levels, cell.name)"
          >Add this setup</v-link
        >
      </p>
    </div>
    <p v-for="line in concluded.derived" :key="line" class="text flag hand-edge pl-2 mt-0 mb-2 mx-0">
      {{ line }}
    </p>
    <p v-for="copy in concluded.copies" :key="copy" class="text flag hand-edge pl-2 mt-0 mb-2 mx-0">
      {{ copy }}
    </p>
    <v-table v-if="concluded.answers.length" class="figures" data-test="questions">
      <tbody>
        <tr v-for="row in concluded.answers" :key="row.question">
          <td class="words">
            <strong>{{ row.question }}</strong>
            <div class="prose size-15">{{ row.answer }}</div>
          </td>
          <td class="words standing">
            <span :class="{ 'hand-note': row.standing === 'together' || row.standing === 'no' }">
              <TermTip v-if="row.standing === 'together'" term="confounded">{{
                WORDS[row.standing]
              }}</TermTip>
              <TermTip v-else-if="row.standing === 'adding_up'" term="assuming effects add">{{
                WORDS[row.standing]
              }}</TermTip>
              <template v-else>{{ WORDS[row.standing] }}</template>
            </span>
          </td>
        </tr>
      </tbody>
    </v-table>
    <p v-else class="text">The setups do not differ in any row, so nothing can be concluded.</p>
  </div>
</template>

<style scoped>
.flag .link {
  text-decoration: underline;
  font-family: var(--read);
  font-size: 13px;
}
.standing {
  white-space: nowrap;
  text-align: right;
}
</style>
