<script setup lang="ts">
/** Setups as stacks: what is in each slot, how each differs, whether it goes together and compares fairly. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import SetupMark from '../../ui/setups/SetupMark.vue'
import CheckList from './CheckList.vue'

const props = defineProps<{ programme: Schema['ProgrammeOut'] }>()
const against = ref<number | null>(null)
const { data: stacks, error } = useQuery({
  queryKey: computed(() => ['stacks', props.programme.id, against.value] as const),
  queryFn: async ({ queryKey: [, programme_id, baseline] }) =>
    answer(
      await api.GET('/api/programmes/{programme_id}/stacks', {
        params: { path: { programme_id }, query: { baseline } },
      }),
    ),
  placeholderData: (before) => before,
})

function setup(id: number) {
  return props.programme.setups.find((known) => known.id === id)!
}
const held = computed(() => stacks.value?.baseline_id)
const base = computed(() => stacks.value?.setups.find((row) => row.setup_id === held.value))
const others = computed(() => stacks.value?.setups.filter((row) => row.setup_id !== held.value) ?? [])

function isDifferent(row: Schema['StackSetup'], slot: string): boolean {
  return names(row, slot) !== (base.value ? names(base.value, slot) : '')
}

function names(row: Schema['StackSetup'], slot: string): string {
  return (row.parts[slot] ?? []).map((part) => part.name).join(', ')
}
</script>

<template>
  <div class="stacks">
    <ProblemNote :error="error" />
    <template v-if="stacks">
      <v-table class="figures">
        <thead>
          <tr>
            <th class="words">Slot</th>
            <th v-for="row in stacks.setups" :key="row.setup_id" class="words">
              <v-link
                :aria-pressed="row.setup_id === held"
                :title="`Compare the others with ${setup(row.setup_id).name}`"
                @click="against = row.setup_id"
              >
                <SetupMark :position="setup(row.setup_id).position" /> {{ setup(row.setup_id).name }}
                <span v-if="row.setup_id === held" class="quiet small">&nbsp;compared with the others</span>
              </v-link>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="slot in stacks.slots" :key="slot.slot" :class="{ same: !slot.varies }">
            <th class="words" scope="row">{{ slot.label }}</th>
            <td
              v-for="row in stacks.setups"
              :key="row.setup_id"
              class="words"
              :class="{ differs: isDifferent(row, slot.slot) }"
            >
              <router-link
                v-for="part in row.parts[slot.slot] ?? []"
                :key="part.id"
                :to="{ name: 'part', params: { id: part.id } }"
                >{{ part.name }}</router-link
              >
              <span v-if="!row.parts[slot.slot]" class="quiet">none</span>
            </td>
          </tr>
        </tbody>
      </v-table>
      <section v-if="base" class="difference mt-6">
        <h1>
          <SetupMark :position="setup(base.setup_id).position" /> {{ setup(base.setup_id).name }} itself
        </h1>
        <CheckList
          title="Does it go together?"
          :checks="base.fit"
          fine="Nothing that is written down speaks against it."
        />
      </section>
      <section v-for="row in others" :key="row.setup_id" class="difference mt-6">
        <h1>
          <SetupMark :position="setup(row.setup_id).position" /> {{ setup(row.setup_id).name }} against
          {{ setup(held!).name }}
          <span class="quiet">{{
            row.changes === 0
              ? 'no part differs'
              : row.changes === 1
                ? 'one slot: a comparison of parts'
                : `${row.changes} slots: a package`
          }}</span>
        </h1>
        <p v-for="sentence in row.differences" :key="sentence" class="text my-1 mx-0">{{ sentence }}</p>
        <div class="checks d-grid columns-2 ga-9 mt-2">
          <CheckList
            title="Does it go together?"
            :checks="row.fit"
            fine="Nothing that is written down speaks against it."
          />
          <CheckList
            title="Like-for-like check"
            :checks="row.fairness"
            fine="Nothing that is entered favors either."
          />
        </div>
      </section>
    </template>
  </div>
</template>

<style scoped>
.stacks {
  padding: 18px;
  max-width: 1180px;
}
tbody th {
  vertical-align: middle;
}
th .link {
  white-space: nowrap;
}
.same :is(td, th) {
  color: var(--quiet);
}
.same a {
  color: var(--quiet);
}
.differs {
  background: var(--panel);
  font-weight: 700;
}
.difference .quiet {
  font-weight: 400;
  font-size: 13px;
  margin-left: 10px;
}
@media (max-width: 800px) {
  .checks {
    grid-template-columns: 1fr;
  }
}
</style>
