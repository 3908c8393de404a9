<script setup lang="ts">
/** What can be concluded from the setups, and which setup more would answer most. */
import type { Told } from './draft'

defineProps<{ concluded: Pick<Told, 'answers' | 'addition' | 'copies'>; mayAdd?: boolean }>()
const emit = defineEmits<{ add: [] }>()
const WORDS: Record<string, string> = {
  direct: 'answered',
  adding_up: 'answered, adding up',
  together: 'only as a package',
  no: 'not answered',
}
</script>

<template>
  <div>
    <p v-if="concluded.addition" class="text flag hand-edge pl-2 mt-0 mb-2 mx-0">
      {{ concluded.addition }}
      <button v-if="mayAdd" type="button" @click="emit('add')">Add it</button>
    </p>
    <p v-for="copy in concluded.copies" :key="copy" class="text flag hand-edge pl-2 mt-0 mb-2 mx-0">
      {{ copy }}
    </p>
    <v-table v-if="concluded.answers.length" class="figures" data-test="questions">
      <tbody>
        <tr v-for="row in concluded.answers" :key="row.question">
          <td class="words">
            <strong>{{ row.question }}</strong>
            <div class="prose size-15">{{ row.told }}</div>
          </td>
          <td class="words standing">
            <span :class="{ 'hand-note': row.standing === 'together' || row.standing === 'no' }">
              {{ WORDS[row.standing] }}
            </span>
          </td>
        </tr>
      </tbody>
    </v-table>
    <p v-else class="text">The setups do not differ in any row: there is nothing to tell.</p>
  </div>
</template>

<style scoped>
.flag button {
  text-decoration: underline;
  font-family: var(--read);
  font-size: 13px;
}
.standing {
  white-space: nowrap;
  text-align: right;
}
</style>
