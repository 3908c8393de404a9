<script setup lang="ts">
/** Any two stacks of parts held against each other before anything is bolted on. */
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'

import { answer, api } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import CheckList from './CheckList.vue'
import { useParts, useSlots } from './useParts'
import { useEngines } from '../engine/useBuild'

const { data: parts } = useParts()
const { data: slots } = useSlots()
const { data: engines } = useEngines()
const build = ref<number | null>(null)
const one = reactive<Record<string, number | ''>>({})
const other = reactive<Record<string, number | ''>>({})
const rows = computed(() => {
  const present = new Set((parts.value ?? []).flatMap((part) => (part.archived ? [] : [part.slot])))
  return (slots.value ?? []).filter((slot) => present.has(slot.value))
})
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

function inSlot(slot: string) {
  return (parts.value ?? []).filter((part) => part.slot === slot && !part.archived)
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
              <v-autocomplete
                :model-value="stack[slot.value] ?? ''"
                :aria-label="`${slot.label} of the ${which} stack`"
                :items="[
                  { value: '', label: 'none' },
                  ...inSlot(slot.value).map((part) => ({ value: part.id, label: part.name })),
                ]"
                @update:model-value="stack[slot.value] = $event ?? ''"
              />
            </td>
          </tr>
        </tbody>
      </v-table>
      <div v-if="found" aria-live="polite">
        <v-autocomplete
          v-model="build"
          class="engine d-block mb-3"
          label="Limits of"
          :items="[
            { value: null, label: 'no engine' },
            ...(engines?.filter((one) => !one.archived) ?? []).map((engine) => ({
              value: engine.revisions.at(-1)!.id,
              label: engine.name,
            })),
          ]"
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
