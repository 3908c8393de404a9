<script setup lang="ts">
/** As tested and as it will be installed, item by item, and what accessories are allowed to cost. */
import { useQueryClient } from '@tanstack/vue-query'
import { reactive, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { figure } from '../../ui/figures'
import type { Build } from './useBuild'

type Item = Schema['InstallationOut']
const props = defineProps<{ build: Build; mayOperate: boolean }>()
const queries = useQueryClient()
const rows = reactive<Item[]>([])
const problems = reactive(new Map<string, string>())
watch(
  () => props.build,
  (build) => rows.splice(0, rows.length, ...build.installation.map((item) => ({ ...item }))),
  { immediate: true },
)

async function save(row: Item) {
  const { item, tested, installed, allowance, basis, applied } = row
  try {
    const changed = answer(
      await api.PUT('/api/builds/{build_id}/installation/{item}', {
        params: { path: { build_id: props.build.id, item } },
        body: { tested, installed, allowance, basis, applied },
      }),
    )
    problems.delete(item)
    queries.setQueryData(['build', changed.id], changed)
  } catch (caught) {
    const fields = caught instanceof Problem ? Object.values(caught.fields) : []
    problems.set(item, fields[0] ?? (caught as Error).message)
  }
}

function apply(row: Item) {
  row.applied = !row.applied
  void save(row).then(() => {
    if (problems.has(row.item)) row.applied = !row.applied
  })
}
</script>

<template>
  <div class="installed pa-4 most-1180">
    <p class="text">
      What is tested is seldom what is driven. An allowance is shown beside the peaks of the curves when it is
      switched on; it never changes a measured curve.
    </p>
    <v-table class="figures">
      <thead>
        <tr>
          <th class="words">Item</th>
          <th class="words">As tested</th>
          <th class="words">As it will be installed</th>
          <th>Power loss, {{ build.power_unit }}</th>
          <th class="words">Basis</th>
          <th class="words">Deducted</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="row in rows" :key="row.item">
          <tr>
            <td class="words">{{ row.label }}</td>
            <td class="words">
              <v-text-field
                v-model="row.tested"
                :aria-label="`${row.label} as tested`"
                :readonly="!mayOperate || build.used"
                :title="build.used ? 'A pull was made with it' : undefined"
                @change="save(row)"
              />
            </td>
            <td class="words">
              <v-text-field
                v-model="row.installed"
                :aria-label="`${row.label} as installed`"
                :readonly="!mayOperate"
                @change="save(row)"
              />
            </td>
            <td>
              <v-text-field
                v-model="row.allowance"
                class="number w-76"
                :aria-label="`Power that ${row.label.toLowerCase()} takes`"
                :readonly="!mayOperate"
                @change="save(row)"
              />
            </td>
            <td class="words">
              <v-text-field
                v-model="row.basis"
                :aria-label="`Basis for ${row.label.toLowerCase()}`"
                :readonly="!mayOperate"
                @change="save(row)"
              />
            </td>
            <td class="words">
              <v-switch
                :model-value="row.applied"
                :aria-label="`Deduct ${row.label.toLowerCase()}`"
                :disabled="!mayOperate || !row.allowance"
                @update:model-value="apply(row)"
              />
            </td>
          </tr>
          <tr v-if="problems.has(row.item)">
            <td colspan="6" class="words message" role="alert">{{ problems.get(row.item) }}</td>
          </tr>
        </template>
      </tbody>
    </v-table>
    <p v-if="build.allowance !== null" class="text">
      Deducted: {{ figure(build.allowance) }} {{ build.power_unit }} at peak power.
    </p>
  </div>
</template>

<style scoped>
.installed > .text {
  max-width: 760px;
  margin: 0 0 14px;
}
</style>
