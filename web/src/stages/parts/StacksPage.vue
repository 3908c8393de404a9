<script setup lang="ts">
/** Any two stacks of parts held against each other before anything is bolted on. */
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'

import { answer, api } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import CheckList from './CheckList.vue'
import BuildPicker from '../engine/BuildPicker.vue'
import { useFilledSlots, usePartNames } from './names'
import PartPicker from './PartPicker.vue'
import { useSlots } from './useParts'

const { data: slots } = useSlots()
const { data: filled } = useFilledSlots()
const build = ref<number | null>(null)
const one = reactive<Record<string, number | ''>>({})
const other = reactive<Record<string, number | ''>>({})
const rows = computed(() => (slots.value ?? []).filter((slot) => filled.value?.includes(slot.value)))
const chosen = (stack: Record<string, number | ''>) =>
  Object.values(stack).filter((id): id is number => id !== '')
const { data: found, error } = useQuery({
  queryKey: computed(() => ['compare', chosen(one), chosen(other), build.value] as const),
  queryFn: async ({ queryKey: [, first, second, build_id] }) =>
    answer(
      await api.POST('/api/stacks/compare', {
        body: { one: [...first], other: [...second], build_id },
      }),
    ),
  placeholderData: (before) => before,
})

const { partOf } = usePartNames(() => [...chosen(one), ...chosen(other)])
function near(id: number | '' | undefined) {
  const part = id ? partOf(id) : undefined
  return part ? [{ value: part.id as number | '', label: part.name }] : []
}
</script>

<template>
  <div class="pa-4 most-1180">
    <h1 class="title">Compare two part combinations</h1>
    <p class="text mt-1 mb-2 mx-0">
      Put two stacks together on paper: what differs, whether each fits, and whether comparing them would be
      fair.
    </p>
    <ProblemNote :error="error" />
    <div class="split">
      <v-table class="figures">
        <thead>
          <tr>
            <th class="words">Slot</th>
            <th class="words">First</th>
            <th class="words">Second</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="slot in rows" :key="slot.value">
            <th class="words" scope="row">{{ slot.label }}</th>
            <td
              v-for="[stack, which] in [
                [one, 'first'],
                [other, 'second'],
              ] as const"
              :key="which"
              class="words"
            >
              <PartPicker
                :model-value="stack[slot.value] ?? ''"
                :slot-name="slot.value"
                :near="near(stack[slot.value])"
                :none="{ value: '', label: 'none' }"
                :aria-label="`${slot.label} of the ${which} stack`"
                @update:model-value="stack[slot.value] = $event ?? ''"
              />
            </td>
          </tr>
        </tbody>
      </v-table>
      <div v-if="found" aria-live="polite">
        <BuildPicker
          v-model="build"
          class="engine d-block mb-3"
          label="Limits of"
          :none="{ value: null, label: 'no engine' }"
        />
        <p v-if="!chosen(one).length || !chosen(other).length" class="text mt-1 mb-2 mx-0">
          Put parts into both stacks: nothing is said of an empty one.
        </p>
        <template v-else>
          <h2>What differs</h2>
          <p v-if="!found.differences.length" class="text mt-1 mb-2 mx-0">Nothing: the same parts.</p>
          <p v-for="sentence in found.differences" :key="sentence" class="text mt-1 mb-2 mx-0">
            {{ sentence }}
          </p>
          <p v-if="found.changes > 1" class="quiet">
            {{ found.changes }} slots: what is gained belongs to the package, not to one part.
          </p>
          <CheckList title="Fit check, first" :checks="found.fit[0]!" fine="No conflicts found." />
          <CheckList title="Fit check, second" :checks="found.fit[1]!" fine="No conflicts found." />
          <CheckList title="Like-for-like check" :checks="found.fairness" fine="Nothing favors either." />
        </template>
      </div>
    </div>
  </div>
</template>

<style scoped>
.v-autocomplete {
  width: 230px;
}
tbody th {
  vertical-align: middle;
  white-space: nowrap;
}
h2 {
  margin-top: 14px;
}
</style>
